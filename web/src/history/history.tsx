import { useRevisions, type SupplyShown } from "../api/client";
import type { Editing } from "../frame/editing";
import { Button } from "../ui/button";
import { Notice } from "../ui/states";
import { Runs } from "./runs";
import { when } from "../ui/when";

/** Every run and every version of a supply; any of them can be had back. */
export function History({ shown, editing }: { shown: SupplyShown; editing: Editing }) {
  return (
    <div className="grid h-full grid-cols-[11fr_9fr] *:overflow-auto *:p-4">
      <Runs shown={shown} editing={editing} />
      <Revisions shown={shown} editing={editing} />
    </div>
  );
}

function Revisions({ shown, editing }: { shown: SupplyShown; editing: Editing }) {
  const revisions = useRevisions(shown);
  if (revisions.isError) return <Notice>{revisions.error.message}</Notice>;
  return (
    <section aria-label="Revisions" className="border-l border-hairline">
      <h2 className="font-semibold">Revisions</h2>
      <p className="mb-2 text-muted">
        Every change is kept. Restoring an earlier revision makes it the newest; what came between stays here.
      </p>
      <table className="w-full" aria-label="Revisions">
        <thead className="text-left text-xs text-muted">
          <tr>
            <th className="w-20 px-2 py-1 font-normal">Revision</th>
            <th className="w-40 px-2 font-normal">Saved</th>
            <th className="px-2 font-normal">What changed</th>
            <th className="w-28">
              <span className="sr-only">Restore</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {revisions.data?.map(({ revision, saved_at, changes }) => (
            <tr
              key={revision}
              className="border-t border-hairline align-top"
              data-testid={`revision-${revision}`}
            >
              <td className="figures px-2 py-1.5">{revision}</td>
              <td className="px-2 py-1.5 text-muted">{when(saved_at)}</td>
              <td className="px-2 py-1.5">
                {changes.length === 0 && <span className="text-muted">nothing</span>}
                {changes.slice(0, 6).join("; ")}
                {changes.length > 6 && <span className="text-muted">; and {changes.length - 6} more</span>}
              </td>
              <td className="px-2 py-1 text-right">
                {revision === shown.revision ? (
                  <span className="text-muted">now</span>
                ) : (
                  <Button
                    className="h-7"
                    onClick={() =>
                      void editing.compose(`restore revision ${revision}`, { restore: revision })
                    }
                  >
                    Restore
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
