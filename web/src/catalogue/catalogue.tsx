import { X } from "lucide-react";
import { Dialog } from "radix-ui";
import { useState } from "react";

import { useCatalogue, useDropPart, type Entry, type EntryListed, type PartKind } from "../api/client";
import { Button } from "../ui/button";
import { symbol } from "../ui/quantity";

type KindId = PartKind["id"];

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
  const [least, setLeast] = useState<Record<string, string>>({});
  const kind = offered.find((k) => k.id === chosen);
  const found = useCatalogue({
    kinds: kind ? [kind.id] : offered.map((k) => k.id),
    text,
    at_least: kind ? least : {},
    at_most: {},
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
                      setLeast({});
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
                <div className="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-hairline p-2 text-xs">
                  {kind.ratings.map((rating) => (
                    <label key={rating.id} className="flex items-center gap-1">
                      <span className="text-muted">{rating.name} at least</span>
                      <input
                        value={least[rating.id] ?? ""}
                        onChange={(event) => setLeast({ ...least, [rating.id]: event.target.value })}
                        spellCheck={false}
                        className="figures h-6 w-16 rounded-md border border-hairline bg-transparent px-1 text-right"
                      />
                      <span className="text-muted">{symbol(rating.unit)}</span>
                    </label>
                  ))}
                  <span className="grow" />
                  <Button className="h-7 text-xs" onClick={() => onTake(kind.id)}>
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

function Row({ listed, kind, onTake }: { listed: EntryListed; kind?: string; onTake: () => void }) {
  const drop = useDropPart();
  const { entry, own } = listed;
  return (
    <li className="flex items-center border-b border-hairline">
      <button
        type="button"
        className="grid min-w-0 grow grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-3 px-3 py-1.5 text-left hover:bg-copper-soft/40"
        onClick={onTake}
      >
        <span className="truncate font-semibold">{entry.title}</span>
        <span className="truncate text-muted">
          {[own && "own part", kind, entry.note].filter(Boolean).join(", ")}
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
