import { useState } from "react";

import {
  lookAtMeasured,
  useAddMeasured,
  type Alignment,
  type FileShown,
  type Run,
  type Supply,
} from "../api/client";
import { Button } from "../ui/button";
import { Window } from "../ui/dialog";
import { FIELD } from "../ui/field";
import { encoded, factorOf, type Encoded } from "./files";

interface Props {
  id: string;
  supply: Supply;
  study: string;
  /** The run that recordings are aligned with. */
  run?: Run;
  onDone: (run: Run) => void;
  onClose: () => void;
}

type By = Alignment["by"];

/** A recording from the bench: which column was measured where, and how its times fit those of the simulation. */
export function ImportDialog({ id, supply, study, run, onDone, onClose }: Props) {
  const [file, setFile] = useState<Encoded>();
  const [found, setFound] = useState<FileShown>();
  const [problem, setProblem] = useState<string>();
  const choose = async (files: FileList | null) => {
    setProblem(undefined);
    setFound(undefined);
    if (!files?.length) return;
    const read = await encoded([...files]);
    const looked = typeof read === "string" ? read : await lookAtMeasured(read);
    if (typeof looked === "string") return setProblem(looked);
    setFile(typeof read === "string" ? undefined : read);
    setFound(looked);
  };
  return (
    <Window
      title="Measured traces from a file"
      close="Close the dialog"
      onClose={onClose}
      className="w-[760px]"
    >
      <div className="grid gap-3 overflow-auto p-4">
        <p className="text-muted">
          A table of numbers in text (CSV), or a COMTRADE record: one .cff file, or .cfg and .dat chosen
          together. It stands beside the runs of this study: drawn behind their traces, compared by readings.
        </p>
        <input
          type="file"
          multiple
          aria-label="Measured file"
          accept=".csv,.txt,.tsv,.cff,.cfg,.dat"
          onChange={(event) => void choose(event.target.files)}
        />
        {problem && (
          <p role="alert" className="text-missed">
            {problem}
          </p>
        )}
        {file && found && (
          <Mapping
            key={file.name}
            {...{ id, supply, study, run, file, found, onClose }}
            onDone={(added) => {
              onDone(added);
              onClose();
            }}
          />
        )}
      </div>
    </Window>
  );
}

interface MappingProps extends Props {
  file: Encoded;
  found: FileShown;
}

/** Nets whose voltage, and parts whose current, a channel can have been. */
function measurable(supply: Supply): string[] {
  const nets = new Set(supply.parts?.flatMap((p) => Object.values(p.pins)).filter((net) => net !== "gnd"));
  return [...[...nets].map((net) => `${net}.v`), ...(supply.parts ?? []).map((p) => `${p.id}.i`)];
}

/** A signal that a column is called after. */
function guessed(name: string, signals: string[]): string {
  const bare = name.trim().toLowerCase();
  return signals.find((s) => s.toLowerCase() === bare || s.toLowerCase() === `${bare}.v`) ?? "";
}

function Mapping({ id, supply, study, run, file, found, onDone, onClose }: MappingProps) {
  const signals = measurable(supply);
  const [title, setTitle] = useState(file.name.replace(/\.[^.]+$/, ""));
  const [time, setTime] = useState(found.time ?? 0);
  const [uses, setUses] = useState(() =>
    found.columns.map((column) => ({
      signal: guessed(column.name, signals),
      scale: String(factorOf(column.unit)),
    })),
  );
  const [by, setBy] = useState<By>("delay");
  const [delay, setDelay] = useState("0");
  const [level, setLevel] = useState("");
  const [falling, setFalling] = useState(false);
  const channels = uses.flatMap(({ signal, scale }, column) =>
    signal && column !== time ? [{ column, signal, scale: Number(scale.replace(",", ".")) }] : [],
  );
  const [along, setAlong] = useState("");
  const aligned = channels.find((c) => c.signal === along)?.signal ?? channels[0]?.signal ?? "";
  const add = useAddMeasured(id);
  const start = () => {
    const of = { run: run?.id ?? "", signal: aligned };
    const alignment: Alignment =
      by === "delay" ? { by, delay } : by === "crossing" ? { by, ...of, level, falling } : { by, ...of };
    const scale = Number((uses[time]?.scale ?? "1").replace(",", "."));
    add.mutate(
      { file, title, study, time, time_scale: scale, channels, alignment },
      { onSuccess: (added) => onDone(added) },
    );
  };
  const field = "figures h-7 rounded-md border border-hairline bg-transparent px-2";
  return (
    <>
      <label className="flex items-center gap-2">
        <span className="w-24 text-muted">Called</span>
        <input
          aria-label="Title of the recording"
          value={title}
          onChange={(event) => setTitle(event.target.value)}
          className="h-7 grow rounded-md border border-hairline bg-transparent px-2"
        />
      </label>
      <table aria-label="Columns of the file">
        <thead className="text-left text-xs text-muted">
          <tr>
            <th className="font-normal">Time</th>
            <th className="px-2 font-normal">Column</th>
            <th className="px-2 text-right font-normal">Values</th>
            <th className="px-2 font-normal">Measured at</th>
            <th className="px-2 font-normal">Multiplied by</th>
          </tr>
        </thead>
        <tbody>
          {found.columns.map((column, k) => {
            const use = uses[k] ?? { signal: "", scale: "1" };
            const set = (change: Partial<typeof use>) =>
              setUses(uses.map((other, j) => (j === k ? { ...other, ...change } : other)));
            const range = found.ranges[k];
            return (
              <tr key={k} className="border-t border-hairline">
                <td>
                  <input
                    type="radio"
                    name="time"
                    checked={time === k}
                    onChange={() => setTime(k)}
                    aria-label={`${column.name} is the time`}
                    className="accent-copper"
                  />
                </td>
                <td className="px-2 py-1">
                  {column.name} {column.unit && <span className="figures text-muted">[{column.unit}]</span>}
                </td>
                <td className="figures px-2 text-right text-xs whitespace-nowrap text-muted">
                  {range ? `${range.low.toPrecision(4)} … ${range.high.toPrecision(4)}` : "none"}
                </td>
                <td className="px-2">
                  {time === k ? (
                    <span className="text-muted">time</span>
                  ) : (
                    <select
                      aria-label={`${column.name} was measured at`}
                      value={use.signal}
                      onChange={(event) => set({ signal: event.target.value })}
                      className={`${FIELD} figures`}
                    >
                      <option value="">not used</option>
                      {signals.map((signal) => (
                        <option key={signal}>{signal}</option>
                      ))}
                    </select>
                  )}
                </td>
                <td className="px-2">
                  <input
                    aria-label={`${column.name} times`}
                    title="What its values are multiplied by to be in s, V or A: the unit, and the probe"
                    value={use.scale}
                    onChange={(event) => set({ scale: event.target.value })}
                    className={`${field} w-20`}
                  />
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <div className="flex flex-wrap items-center gap-2">
        <span className="w-24 text-muted">Its times</span>
        <select
          aria-label="Alignment"
          value={by}
          onChange={(event) => setBy(event.target.value as By)}
          className={FIELD}
        >
          <option value="delay">are moved by</option>
          {run && <option value="crossing">fit where a trace crosses a level</option>}
          {run && <option value="likeness">fit where a trace is most like the simulated one</option>}
        </select>
        {by === "delay" && (
          <>
            <input
              aria-label="Delay"
              value={delay}
              onChange={(e) => setDelay(e.target.value)}
              className={`${field} w-24`}
            />
            <span className="text-muted">s</span>
          </>
        )}
        {by !== "delay" && (
          <select
            aria-label="Trace to align by"
            value={aligned}
            onChange={(e) => setAlong(e.target.value)}
            className={`${FIELD} figures`}
          >
            {channels.map((c) => (
              <option key={c.signal}>{c.signal}</option>
            ))}
          </select>
        )}
        {by === "crossing" && (
          <>
            <select
              aria-label="Way through the level"
              value={falling ? "falls" : "rises"}
              onChange={(event) => setFalling(event.target.value === "falls")}
              className={FIELD}
            >
              <option value="rises">rising through</option>
              <option value="falls">falling through</option>
            </select>
            <input
              aria-label="Level"
              value={level}
              onChange={(e) => setLevel(e.target.value)}
              className={`${field} w-24`}
            />
            <span className="text-muted">{aligned.endsWith(".i") ? "A" : "V"}</span>
          </>
        )}
      </div>
      {add.error && (
        <p role="alert" className="text-missed">
          {add.error.message}
        </p>
      )}
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Leave it</Button>
        <Button look="main" disabled={channels.length === 0 || add.isPending} onClick={start}>
          Put it beside the runs
        </Button>
      </div>
    </>
  );
}
