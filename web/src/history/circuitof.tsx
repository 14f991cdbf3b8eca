import { Eye } from "lucide-react";
import { useState } from "react";
import { useNavigate } from "react-router";

import { documentOf, nameOf, useCreateSupply, type Run, type SupplyShown } from "../api/client";
import type { Editing } from "../frame/editing";
import { Button } from "../ui/button";
import { Window } from "../ui/dialog";

interface Props {
  run: Run;
  shown: SupplyShown;
  editing: Editing;
}

/** Opens the circuit as it stood when it ran: to look at, to go on with beside the present one, or to have it back. */
export function CircuitOf({ run, shown, editing }: Props) {
  const [open, setOpen] = useState(false);
  const [problem, setProblem] = useState<string>();
  const create = useCreateSupply();
  const navigate = useNavigate();
  const copy = async () => {
    const found = await documentOf(run.id);
    if (typeof found === "string") return setProblem(found);
    const title = `${found.title}, as of revision ${run.revision}`;
    create.mutate(
      { ...found, title },
      {
        onSuccess: (created) => void navigate(`/supplies/${created.id}/desk`),
        onError: (error) => setProblem(error.message),
      },
    );
  };
  const restore = () => {
    setOpen(false);
    void editing.compose(`restore revision ${run.revision}`, { restore: run.revision });
  };
  return (
    <>
      <Button
        look="quiet"
        className="h-7 px-1"
        aria-label={`Circuit of ${nameOf(run)}`}
        title="The circuit as it ran"
        onClick={() => setOpen(true)}
      >
        <Eye size={15} />
      </Button>
      {open && (
        <Window
          title={`The circuit of ${nameOf(run)}`}
          close="Close the circuit"
          onClose={() => setOpen(false)}
          className="w-[1000px]"
        >
          <div className="grid gap-3 overflow-auto p-4">
            {run.note && <p className="text-muted">{run.note}</p>}
            <img
              src={`/api/runs/${run.id}/drawing.svg`}
              alt={`Circuit of revision ${run.revision}, with its values`}
              className="max-h-[60vh] w-full rounded-md bg-white object-contain p-3"
            />
            {problem && (
              <p role="alert" className="text-missed">
                {problem}
              </p>
            )}
            <div className="flex items-center justify-end gap-2">
              {run.revision === shown.revision && (
                <span className="mr-auto text-muted">This is the circuit as it is now.</span>
              )}
              <Button disabled={create.isPending} onClick={() => void copy()}>
                Open as a supply of its own
              </Button>
              {run.revision !== shown.revision && (
                <Button look="main" onClick={restore}>
                  Restore revision {run.revision}
                </Button>
              )}
            </div>
          </div>
        </Window>
      )}
    </>
  );
}
