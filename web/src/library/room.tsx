import { useState } from "react";

import { useGiveFree, useKeepRuns, useRoom, useUndeleteSupply } from "../api/deletion";
import { Ask } from "../ui/ask";
import { Button } from "../ui/button";
import { bytes } from "../ui/quantity";
import { when } from "../ui/when";

/** The room used, how many runs are kept, and what can be had back. */
export function RoomUsed() {
  const room = useRoom().data;
  const keep = useKeepRuns();
  const back = useUndeleteSupply();
  const free = useGiveFree();
  const [asking, setAsking] = useState(false);
  if (!room) return null;
  const problem = keep.error ?? back.error ?? free.error;
  const commit = (text: string) => {
    const wanted = Number(text);
    if (wanted !== room.keep_runs) keep.mutate(wanted);
  };
  return (
    <section aria-label="Room used" className="mt-6 border-t border-hairline pt-3 text-muted">
      <p className="flex flex-wrap items-center gap-x-2 gap-y-1">
        <span data-testid="room-used">
          <span className="text-ink">{bytes(room.used)}</span> used by the supplies and{" "}
          <span className="text-ink">{room.runs}</span> {room.runs === 1 ? "run" : "runs"}.
        </span>
        <label className="flex items-center gap-1.5">
          Of each study keep the newest
          <input
            key={room.keep_runs}
            type="number"
            min={1}
            max={1000}
            defaultValue={room.keep_runs}
            onBlur={(event) => commit(event.target.value)}
            onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
            className="figures h-7 w-16 rounded-md border border-hairline bg-panel px-2 text-ink"
          />
          runs, and those marked in its history.
        </label>
      </p>
      {problem && (
        <p role="alert" className="text-missed">
          {problem.message}
        </p>
      )}
      {room.deleted > 0 && (
        <div className="mt-2">
          <p className="flex items-center gap-2">
            <span data-testid="room-deleted">{bytes(room.deleted)} deleted, kept for a day.</span>
            <Button className="h-7" onClick={() => setAsking(true)}>
              Give the room free
            </Button>
          </p>
          <ul>
            {room.supplies.map(({ id, title, runs, gone_at }) => (
              <li key={id} className="flex items-center gap-2 py-0.5">
                <span>
                  {title}, {runs === 1 ? "1 run" : `${runs} runs`}, until {when(gone_at)}
                </span>
                <Button className="h-7" aria-label={`Have ${title} back`} onClick={() => back.mutate(id)}>
                  Have it back
                </Button>
              </li>
            ))}
          </ul>
        </div>
      )}
      {asking && (
        <Ask
          title="Give the room of what is deleted free?"
          doIt="Give it free"
          leaveIt="Keep it"
          onDo={() => {
            free.mutate();
            setAsking(false);
          }}
          onLeave={() => setAsking(false)}
        >
          Deleted supplies and runs, {bytes(room.deleted)} in all, cannot be had back afterwards.
        </Ask>
      )}
    </section>
  );
}
