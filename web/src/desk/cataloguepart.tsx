import { BookmarkPlus, Replace } from "lucide-react";
import { useState } from "react";

import { useKeepPart, type PartKind, type Supply } from "../api/client";
import { CatalogueDialog } from "../catalogue/catalogue";
import type { Editing } from "../frame/editing";
import { Button } from "../ui/button";

type Part = NonNullable<Supply["parts"]>[number];

interface Props {
  part: Part;
  kind: PartKind;
  kinds: PartKind[];
  editing: Editing;
}

/** Where a part comes from: another is taken from the catalogue, or this one is kept there. */
export function CataloguePart({ part, kind, kinds, editing }: Props) {
  const [swapping, setSwapping] = useState(false);
  const [naming, setNaming] = useState(false);
  const keep = useKeepPart();
  const pins = (of: PartKind) => of.pins.map((p) => p.id).join();
  const alike = kinds.filter((k) => k.letter === kind.letter && pins(k) === pins(kind));
  const save = (title: string) => {
    setNaming(false);
    keep.mutate({
      id: "",
      title,
      kind: kind.id,
      note: "",
      parameters: part.parameters ?? {},
      ratings: part.ratings ?? {},
    });
  };
  return (
    <div className="mb-2 flex flex-wrap items-center gap-2 border-b border-hairline pb-2">
      <span className="min-w-0 grow truncate text-xs text-muted" title={part.generic ?? undefined}>
        {part.generic ? part.generic.replaceAll("_", " ") : "values of its own"}
      </span>
      <Button
        className="h-7"
        onClick={() => setSwapping(true)}
        title="Take another from the catalogue; the nets stay"
      >
        <Replace size={14} /> Swap
      </Button>
      <Button
        className="h-7"
        onClick={() => setNaming(!naming)}
        title="Keep it in the catalogue among your own parts"
      >
        <BookmarkPlus size={14} /> Keep
      </Button>
      {naming && (
        <input
          autoFocus
          aria-label="Title of your own part"
          placeholder="Title, then Enter"
          defaultValue={`${kind.name}, own`}
          onFocus={(event) => event.target.select()}
          onKeyDown={(event) => {
            const title = event.currentTarget.value.trim();
            if (event.key === "Enter" && title) save(title);
            if (event.key === "Escape") {
              event.stopPropagation();
              setNaming(false);
            }
          }}
          className="h-7 w-full rounded-md border border-copper bg-transparent px-2"
        />
      )}
      {keep.isError && <p className="w-full text-xs text-missed">{keep.error.message}</p>}
      {keep.data && !naming && <p className="w-full text-xs text-met">Kept as {keep.data.entry.title}.</p>}
      {swapping && (
        <CatalogueDialog
          title={`Swap ${part.id}`}
          kinds={kinds}
          only={[kind.id, ...alike.map((k) => k.id).filter((id) => id !== kind.id)]}
          onClose={() => setSwapping(false)}
          onTake={(id, entry) => {
            setSwapping(false);
            const name = kinds.find((k) => k.id === id)?.name ?? "";
            const usual = { id: "", title: name, kind: id, note: "", parameters: {}, ratings: {} };
            void editing.compose(`swap ${part.id}`, { edit: "swap", part: part.id, entry: entry ?? usual });
          }}
        />
      )}
    </div>
  );
}
