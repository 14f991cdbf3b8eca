import { X } from "lucide-react";
import { useState } from "react";

import {
  useCatalogue,
  useDropPart,
  type Entry,
  type EntryListed,
  type PartKind,
  type Unit,
} from "../api/client";
import { Button } from "../ui/button";
import { Window } from "../ui/dialog";
import { symbol } from "../ui/quantity";

type KindId = PartKind["id"];

/** Limits as typed, by the identifiers of ratings and parameters. */
interface Limits {
  at_least: Record<string, string>;
  at_most: Record<string, string>;
}

const NO_LIMITS: Limits = { at_least: {}, at_most: {} };

/** A rating or value parts are chosen by, and from which sides. */
interface Figure {
  id: string;
  name: string;
  unit: Unit;
  sides: (keyof Limits)[];
}

/** What parts of a kind are chosen by: all ratings, and the values worth looking for. */
function figures(kind: PartKind): Figure[] {
  const ratings = kind.ratings.map((r): Figure => ({ ...r, sides: ["at_least"] }));
  const values = kind.parameters.flatMap(({ id, name, form, sought }): Figure[] =>
    sought && form.form === "quantity"
      ? [{ id, name, unit: form.unit, sides: sought === "between" ? ["at_least", "at_most"] : [sought] }]
      : [],
  );
  return [...ratings, ...values];
}

interface Props {
  title: string;
  kinds: PartKind[];
  /** The kinds to choose among; all if left out. */
  only?: KindId[];
  onTake: (kind: KindId, entry?: Entry) => void;
  onClose: () => void;
}

/** The parts catalogue: kinds on the left, what there is of each, narrowed by words and by figures. */
export function CatalogueDialog({ title, kinds, only, onTake, onClose }: Props) {
  const offered = kinds.filter((k) => !only || only.includes(k.id));
  const [chosen, setKind] = useState<KindId | undefined>(only?.[0]);
  const [text, setText] = useState("");
  const [limits, setLimits] = useState<Limits>(NO_LIMITS);
  const words = text
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter(Boolean);
  // What is typed finds kinds by any of their names too.
  const named = offered.filter((k) => {
    const names = [k.name, k.family, ...k.words]
      .join(" ")
      .toLowerCase()
      .split(/[^\p{L}\p{N}]+/u);
    return words.length > 0 && words.every((word) => names.some((name) => name.startsWith(word)));
  });
  const listed = named.length > 0 ? named : offered;
  const families = [...new Set(listed.map((k) => k.family))];
  const kind = offered.find((k) => k.id === chosen);
  const found = useCatalogue({
    kinds: kind ? [kind.id] : offered.map((k) => k.id),
    text,
    ...(kind ? limits : NO_LIMITS),
  });
  const choose = (id?: KindId) => {
    setKind(id);
    setLimits(NO_LIMITS);
  };
  const columns = kind ? figures(kind) : [];
  const kindName = (id: KindId) => kinds.find((k) => k.id === id)?.name ?? id;
  return (
    <Window
      title={title}
      close="Close the catalogue"
      onClose={onClose}
      className="h-[640px] w-[1120px]"
      beside={
        <input
          value={text}
          onChange={(event) => setText(event.target.value)}
          aria-label="Search the catalogue"
          placeholder="Search: fast 600 V, polymer 220, adjustable …"
          spellCheck={false}
          autoFocus
          className="h-8 w-full rounded-md border border-hairline bg-transparent px-2"
        />
      }
    >
      <div className="flex min-h-0 grow">
        <ul className="w-52 shrink-0 overflow-auto border-r border-hairline p-1" aria-label="Kinds of part">
          <KindButton chosen={chosen === undefined} name="Everything" onChoose={() => choose(undefined)} />
          {families.map((family) => (
            <li key={family}>
              <p className="px-2 pt-2 text-xs text-muted">{family}</p>
              <ul>
                {listed
                  .filter((k) => k.family === family)
                  .map((k) => (
                    <KindButton
                      key={k.id}
                      chosen={chosen === k.id}
                      name={k.name}
                      help={k.help}
                      onChoose={() => choose(k.id)}
                    />
                  ))}
              </ul>
            </li>
          ))}
        </ul>
        <div className="min-w-0 grow overflow-auto">
          {found.isError && <p className="p-3 text-missed">{found.error.message}</p>}
          <table className="w-full border-separate border-spacing-0">
            {kind && (
              <thead className="sticky top-0 bg-panel text-xs text-muted">
                <tr>
                  <th className={HEAD}>
                    <Button
                      className="h-7 text-xs"
                      title={`${kind.name} with usual values, to be set by hand`}
                      onClick={() => onTake(kind.id)}
                    >
                      Usual values
                    </Button>
                  </th>
                  {columns.map((figure) => (
                    <th key={figure.id} className={`${HEAD} text-right`}>
                      {figure.name}
                      <FigureLimits figure={figure} limits={limits} onChange={setLimits} />
                    </th>
                  ))}
                  <th className={HEAD}>
                    <span className="sr-only">Own parts</span>
                  </th>
                </tr>
              </thead>
            )}
            <tbody aria-label="Parts found">
              {!kind &&
                named.map((k) => (
                  <tr
                    key={k.id}
                    className="cursor-pointer hover:bg-copper-soft/40"
                    onClick={() => onTake(k.id)}
                  >
                    <td className="border-b border-hairline px-2 py-1" colSpan={columns.length + 2}>
                      <button type="button" className="text-left font-semibold">
                        {k.name}
                      </button>
                      <span className="block text-xs leading-4 text-muted">
                        with usual values, to be set by hand
                      </span>
                    </td>
                  </tr>
                ))}
              {found.data?.length === 0 && (kind !== undefined || named.length === 0) && (
                <tr>
                  <td className="p-3 text-muted" colSpan={columns.length + 2}>
                    Nothing in the catalogue fits. Loosen the search, or take a part with usual values and set
                    yours.
                  </td>
                </tr>
              )}
              {found.data?.map((listed) => (
                <Row
                  key={listed.own ?? listed.entry.id}
                  listed={listed}
                  kind={kind ? undefined : kindName(listed.entry.kind)}
                  columns={columns}
                  onTake={() => onTake(listed.entry.kind, listed.entry)}
                />
              ))}
            </tbody>
          </table>
        </div>
      </div>
    </Window>
  );
}

const HEAD = "border-b border-hairline px-2 py-1.5 text-left align-bottom font-normal";
const SIDES = { at_least: ["at least", "≥"], at_most: ["at most", "≤"] } as const;

/** Where the parts shown shall lie in one figure. */
function FigureLimits(props: { figure: Figure; limits: Limits; onChange: (limits: Limits) => void }) {
  const { figure, limits, onChange } = props;
  const { id, name, sides } = figure;
  return sides.map((side) => (
    <label
      key={side}
      className="mt-1 flex items-center justify-end gap-1"
      title={`${name} ${SIDES[side][0]}`}
    >
      {SIDES[side][1]}
      <input
        value={limits[side][id] ?? ""}
        onChange={(event) => onChange({ ...limits, [side]: { ...limits[side], [id]: event.target.value } })}
        aria-label={`${name} ${SIDES[side][0]}`}
        spellCheck={false}
        className="figures h-6 w-12 rounded-md border border-hairline bg-transparent px-1 text-right text-ink"
      />
      {symbol(figure.unit)}
    </label>
  ));
}

interface RowProps {
  listed: EntryListed;
  kind?: string;
  columns: Figure[];
  onTake: () => void;
}

function Row({ listed, kind, columns, onTake }: RowProps) {
  const drop = useDropPart();
  const { entry, own, figures } = listed;
  const cell = "border-b border-hairline px-2 py-1";
  return (
    <tr className="cursor-pointer hover:bg-copper-soft/40" onClick={onTake}>
      <td className={cell}>
        <button type="button" className="text-left font-semibold whitespace-nowrap">
          {entry.title}
        </button>
        <span className="block text-xs leading-4 text-muted">
          {[own && "own part", kind, entry.note].filter(Boolean).join(", ")}
        </span>
      </td>
      {columns.map(({ id }) => (
        <td key={id} className={`figures text-right text-sm whitespace-nowrap ${cell}`}>
          {figures[id] ?? "—"}
        </td>
      ))}
      <td className={`w-8 ${cell}`}>
        {own && (
          <Button
            look="quiet"
            aria-label={`Drop ${entry.title}`}
            title="Drop it from your parts"
            onClick={(event) => {
              event.stopPropagation();
              drop.mutate(own);
            }}
          >
            <X size={14} />
          </Button>
        )}
      </td>
    </tr>
  );
}

interface KindButtonProps {
  chosen: boolean;
  name: string;
  help?: string;
  onChoose: () => void;
}

function KindButton({ chosen, name, help, onChoose }: KindButtonProps) {
  return (
    <li>
      <button
        type="button"
        aria-pressed={chosen}
        title={help}
        onClick={onChoose}
        className={`w-full rounded-sm px-2 py-0.5 text-left ${chosen ? "bg-copper-soft" : "hover:bg-ground"}`}
      >
        {name}
      </button>
    </li>
  );
}
