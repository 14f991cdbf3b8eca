import { StepForward } from "lucide-react";
import { useState } from "react";

import { useGoOn, type Run } from "../api/client";
import { Button } from "../ui/button";
import { Sheet } from "../ui/popover";
import { show } from "../ui/quantity";
import { ValueField } from "../ui/valuefield";

/** Goes on from where a run ended: to the study's end, for longer, or less accurately than before. */
export function GoOn({ run, blocked }: { run: Run; blocked: boolean }) {
  const [open, setOpen] = useState(false);
  const short = run.state !== "done";
  return (
    <Sheet
      label="Go on with the run"
      open={open}
      onOpen={setOpen}
      className="grid w-[380px] gap-2 p-3"
      trigger={
        <Button
          look={short ? "plain" : "quiet"}
          className={short ? "" : "px-1"}
          aria-label="Go on from the end of the run"
          title={`Go on from ${show(run.simulated_time, "second", 4)}, where the run ended`}
          disabled={blocked}
        >
          <StepForward size={14} /> {short && "Go on"}
        </Button>
      }
    >
      <Ways run={run} onDone={() => setOpen(false)} />
    </Sheet>
  );
}

/** A tenth as accurate, which is what gets a run over a place where it crawls. */
const LOOSER = 10;

function Ways({ run, onDone }: { run: Run; onDone: () => void }) {
  const goOn = useGoOn(run.supply);
  const short = run.state !== "done";
  const [more, setMore] = useState("");
  const [tolerance, setTolerance] = useState("");
  const before = run.outcome?.health.tolerance;
  const start = () => {
    const wish = { for: more || null, tolerance: tolerance || null };
    goOn.mutate({ run: run.id, wish }, { onSuccess: onDone });
  };
  return (
    <>
      <p className="text-muted">
        {short
          ? `${run.state === "failed" ? "Ended" : "Paused"} at ${show(run.simulated_time, "second", 4)} of ${show(run.duration, "second", 4)}.`
          : `Reached its end at ${show(run.duration, "second", 4)}.`}{" "}
        The run that goes on begins with all this one has.
      </p>
      <ValueField
        supply={run.supply}
        label="For another"
        help="Simulated time from where the run ended"
        unit="second"
        text={more}
        fallback={short ? "to the study’s end" : "say how long"}
        onCommit={setMore}
      />
      <ValueField
        key={tolerance}
        supply={run.supply}
        label="Tolerance"
        help="Accuracy from here on, relative to full scale"
        unit="one"
        text={tolerance}
        fallback={before === undefined ? "as it was" : `as it was, ${before}`}
        onCommit={setTolerance}
      />
      {before !== undefined && tolerance === "" && (
        <Button
          look="quiet"
          className="justify-self-start"
          onClick={() => setTolerance(String(LOOSER * before))}
        >
          Loosen to {LOOSER * before}
        </Button>
      )}
      {goOn.error && (
        <p role="alert" className="text-missed">
          {goOn.error.message}
        </p>
      )}
      <Button
        look="main"
        className="justify-self-end"
        disabled={goOn.isPending || (!short && more === "")}
        onClick={start}
      >
        <StepForward size={14} /> Go on
      </Button>
    </>
  );
}
