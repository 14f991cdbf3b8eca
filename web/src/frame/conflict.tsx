import type { Conflict } from "../api/client";
import { Button } from "../ui/button";

interface Props {
  conflict: Conflict;
  onTheirs: () => void;
  onMine: () => void;
}

/** Two windows changed one supply: both versions are kept, the engineer says which goes on. */
export function ConflictBar({ conflict, onTheirs, onMine }: Props) {
  return (
    <div role="alert" className="flex items-center gap-3 border-b border-hairline bg-copper-soft px-4 py-2">
      <p className="grow">
        This supply was changed in another window and is now at revision {conflict.current.revision}. Your
        latest change is not saved yet. Whichever you choose, the other stays in the revision history.
      </p>
      <Button onClick={onTheirs}>Take the other window's version</Button>
      <Button look="main" onClick={onMine}>
        Save mine on top
      </Button>
    </div>
  );
}
