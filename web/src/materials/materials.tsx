import { Download } from "lucide-react";

import { useMaterials, type SupplyShown } from "../api/client";
import { fileName } from "../ui/files";
import { Notice } from "../ui/states";

/** What has to be bought to build the supply. */
export function Materials({ shown }: { shown: SupplyShown }) {
  const materials = useMaterials(shown);
  if (materials.isError) return <Notice>{materials.error.message}</Notice>;
  const rows = materials.data ?? [];
  const count = rows.reduce((sum, row) => sum + row.parts.length, 0);
  return (
    <div className="h-full overflow-auto p-4">
      <div className="flex items-center">
        <h2 className="grow font-semibold">Bill of materials</h2>
        <a
          href={`/api/supplies/${shown.id}/materials.csv`}
          download={fileName([shown.document.title, "bill of materials"], "csv")}
          className="inline-flex h-8 items-center gap-1.5 rounded-md border border-hairline px-3 font-semibold hover:border-muted"
        >
          <Download size={14} aria-hidden="true" /> Save as CSV
        </a>
      </div>
      <p className="mb-2 text-muted">
        {count} parts, {rows.length} different. Sources and loads stand for what is outside and are not
        listed.
      </p>
      <table className="w-full max-w-5xl" aria-label="Bill of materials">
        <thead className="text-left text-xs text-muted">
          <tr>
            <th className="w-16 px-2 py-1 text-right font-normal">Count</th>
            <th className="px-2 font-normal">Designators</th>
            <th className="px-2 font-normal">Part</th>
            <th className="px-2 font-normal">Value</th>
            <th className="px-2 font-normal">Rated for</th>
            <th className="px-2 font-normal">From the catalogue</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row.parts.join()} className="border-t border-hairline align-top">
              <td className="figures px-2 py-1 text-right">{row.parts.length}</td>
              <td className="px-2 py-1">{row.parts.join(", ")}</td>
              <td className="px-2 py-1">{row.kind}</td>
              <td className="figures px-2 py-1">{row.value}</td>
              <td className="figures px-2 py-1 text-xs">
                {row.ratings || <span className="text-muted">not stated</span>}
              </td>
              <td className="px-2 py-1 text-muted">{row.entry || "–"}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
