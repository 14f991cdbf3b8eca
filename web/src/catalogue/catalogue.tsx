import { X } from "lucide-react";
import { Dialog } from "radix-ui";
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
  const kind = offered.find((k) => k.id === chosen);
  const found = useCatalogue({
    kinds: kind ? [kind.id] : offered.map((k) => k.id),
    text,
    ...(kind ? limits : NO_LIMITS),
  });
  const kindName = (id: KindId) => kinds.find((k) => k.id === id)?.name ?? id;
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-black/30" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-40 flex h-[640px] max-h-[92vh] w-[960px] max-w-[96vw] -translate-x-1/2 -translate-y-1/2 flex-col rounded-md border border-hairline bg-panel shadow-soft"
        >
          <header className="flex items-center gap-3 border-b border-hairline p-3">
            <Dialog.Title className="font-semibold">{title}</Dialog.Title>
            <input
              value={text}
              onChange={(event) => setText(event.target.value)}
              aria-label="Search the catalogue"
              placeholder="Search: fast 600 V, polymer 220, adjustable …"
              spellCheck={false}
              autoFocus
              className="h-8 grow rounded-md border border-hairline bg-transparent px-2"
            />
            <Dialog.Close asChild>
              <Button look="quiet" aria-label="Close the catalogue">
                <X size={16} />
              </Button>
            </Dialog.Close>
          </header>
          <div className="flex min-h-0 grow">
            <ul
              className="w-56 shrink-0 overflow-auto border-r border-hairline p-1"
              aria-label="Kinds of part"
            >
              {[undefined, ...offered].map((k) => (
                <li key={k?.id ?? "all"}>
                  <button
                    type="button"
                    aria-pressed={k?.id === chosen}
                    title={k?.help}
                    onClick={() => {
                      setKind(k?.id);
                      setLimits(NO_LIMITS);
                    }}
                    className={`w-full rounded-sm px-2 py-0.5 text-left ${k?.id === chosen ? "bg-copper-soft" : "hover:bg-ground"}`}
                  >
                    {k?.name ?? "Everything"}
                  </button>
                </li>
              ))}
            </ul>
            <div className="flex min-w-0 grow flex-col">
              {kind && (
                <div className="grid grid-cols-[repeat(3,auto)] items-center gap-x-5 gap-y-1 border-b border-hairline p-2 text-xs">
                  {figures(kind).map((figure) => (
                    <FigureLimits key={figure.id} figure={figure} limits={limits} onChange={setLimits} />
                  ))}
                  <Button
                    className="col-span-full h-7 justify-self-end text-xs"
                    onClick={() => onTake(kind.id)}
                  >
                    {only ? "Usual values" : `${kind.name} with usual values`}
                  </Button>
                </div>
              )}
              {found.isError && <p className="p-3 text-missed">{found.error.message}</p>}
              <ul className="min-h-0 grow overflow-auto" aria-label="Parts found">
                {found.data?.length === 0 && (
                  <li className="p-3 text-muted">
                    Nothing in the catalogue fits. Loosen the search, or take a part with usual values and set
                    yours.
                  </li>
                )}
                {found.data?.map((listed) => (
                  <Row
                    key={listed.own ?? listed.entry.id}
                    listed={listed}
                    kind={kind ? undefined : kindName(listed.entry.kind)}
                    onTake={() => onTake(listed.entry.kind, listed.entry)}
                  />
                ))}
              </ul>
            </div>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

const SIDES = { at_least: "at least", at_most: "at most" };

function FigureLimits(props: { figure: Figure; limits: Limits; onChange: (limits: Limits) => void }) {
  const { figure, limits, onChange } = props;
  const { id, name, sides } = figure;
  return (
    <span className="flex items-center gap-1 whitespace-nowrap text-muted *:first:grow">
      <span>{name}</span>
      {sides.map((side) => (
        <label key={side} className="flex items-center gap-1">
          {sides.length > 1 ? (side === "at_least" ? "from" : "to") : SIDES[side]}
          <input
            value={limits[side][id] ?? ""}
            onChange={(event) =>
              onChange({ ...limits, [side]: { ...limits[side], [id]: event.target.value } })
            }
            aria-label={`${name} ${SIDES[side]}`}
            spellCheck={false}
            className="figures h-6 w-14 rounded-md border border-hairline bg-transparent px-1 text-right text-ink"
          />
        </label>
      ))}
      <span className="w-6">{symbol(figure.unit)}</span>
    </span>
  );
}

function Row({ listed, kind, onTake }: { listed: EntryListed; kind?: string; onTake: () => void }) {
  const drop = useDropPart();
  const { entry, own, figures } = listed;
  return (
    <li className="flex items-center border-b border-hairline">
      <button
        type="button"
        className="grid min-w-0 grow grid-cols-[minmax(0,2fr)_minmax(0,3fr)] gap-3 px-3 py-1.5 text-left hover:bg-copper-soft/40"
        onClick={onTake}
      >
        <span className="font-semibold">{entry.title}</span>
        <span className="text-muted">
          {[own && "own part", kind, entry.note].filter(Boolean).join(", ")}
          <span className="block text-xs leading-4">{figures.join(" · ")}</span>
        </span>
      </button>
      {own && (
        <Button
          look="quiet"
          aria-label={`Drop ${entry.title}`}
          title="Drop it from your parts"
          onClick={() => drop.mutate(own)}
        >
          <X size={14} />
        </Button>
      )}
    </li>
  );
}
