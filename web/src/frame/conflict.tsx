import { Button } from "../ui/button";

interface Props {
  /** The change that cannot be stored. */
  what: string;
  onTheirs: () => void;
  onMine: () => void;
}

/** Two windows changed the same: the engineer says which goes on. What does not touch goes together without asking. */
export function ConflictBar({ what, onTheirs, onMine }: Props) {
  return (
    <div role="alert" className="flex items-center gap-3 border-b border-hairline bg-copper-soft px-4 py-2">
      <p className="grow">
        Another window has changed what you changed too, so this is not saved yet: <b>{what}</b>. Theirs stays
        in the revision history either way.
      </p>
      <Button onClick={onTheirs}>Leave it as theirs</Button>
      <Button look="main" onClick={onMine}>
        Save mine on top
      </Button>
    </div>
  );
}
