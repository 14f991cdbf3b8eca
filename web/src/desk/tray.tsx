import { Command } from "cmdk";
import { Plus } from "lucide-react";
import { useMemo, useState } from "react";

import { type Run, type SpanMeasures, type Supply } from "../api/client";
import { signalProblem, useMeasures, useTraces } from "../api/traces";
import { partSignals, signalMeaning } from "../readings/draft";
import { Button } from "../ui/button";
import { Sheet } from "../ui/popover";
import { measured } from "../ui/quantity";
import { Sparkline } from "../plot/sparkline";

interface Props {
  label: string;
  short?: boolean;
  supply: Supply;
  run?: Run;
  /** Signals that are not offered. */
  without?: string[];
  onChoose: (signal: string) => void;
}

/** Signals offered at once with a picture and figures. */
const PICTURED = 40;
const SPARK = { width: 72, height: 18 };
const NOTHING_MORE: [] = [];

interface Group {
  title: string;
  signals: string[];
}

/** Signals by stage: the nets its parts touch first, then its parts; what belongs to no stage at the end. */
function grouped(supply: Supply): Group[] {
  const parts = supply.parts ?? [];
  const taken = new Set(["gnd"]);
  const groups = [...(supply.stages ?? []), undefined].map((stage): Group => {
    const own = parts.filter((p) => (p.stage ?? undefined) === stage?.id);
    const nets = own.flatMap((p) => Object.values(p.pins)).filter((net) => !taken.has(net) && taken.add(net));
    return {
      title: stage?.title ?? "Other parts",
      signals: [...nets.map((net) => `${net}.v`), ...own.flatMap(partSignals)],
    };
  });
  return groups.filter((g) => g.signals.length > 0);
}

/** Every signal, searched and chosen by key or pointer, with what it looks like in the run shown. */
export function SignalTray({ label, short, supply, run, without = [], onChoose }: Props) {
  const [open, setOpen] = useState(false);
  return (
    <Sheet
      label={label}
      open={open}
      onOpen={setOpen}
      trigger={
        <Button look="quiet" className="h-6 text-xs" aria-label={label} title={label}>
          <Plus size={13} /> {!short && label}
        </Button>
      }
    >
      <List
        supply={supply}
        run={run}
        without={without}
        onChoose={(signal) => {
          setOpen(false);
          onChoose(signal);
        }}
      />
    </Sheet>
  );
}

function List({
  supply,
  run,
  without,
  onChoose,
}: Required<Pick<Props, "supply" | "without" | "onChoose">> & { run?: Run }) {
  const [search, setSearch] = useState("");
  const groups = useMemo(() => grouped(supply), [supply]);
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const left = groups
    .map((g) => ({
      ...g,
      signals: g.signals.filter((s) => {
        const text = `${s} ${g.title}`.toLowerCase();
        return !without.includes(s) && words.every((w) => text.includes(w));
      }),
    }))
    .filter((g) => g.signals.length > 0);
  // What can be no name of a signal is a formula of them.
  const formula = run !== undefined && /[*/^(+]|\S\s+-\s/.test(search);
  const [problem, setProblem] = useState<{ of: string; text: string }>();
  const draw = async () => {
    const text = run && (await signalProblem(run, search.trim()));
    if (text) setProblem({ of: search, text });
    else onChoose(search.trim());
  };
  const pictured = left.flatMap((g) => g.signals).slice(0, PICTURED);
  const [from, to] = run?.recorded ?? [0, 0];
  const traces = useTraces(run, pictured, from, to, SPARK.width);
  const measures = useMeasures(run, pictured, from, to, NOTHING_MORE);
  return (
    <Command shouldFilter={false} label="Signals" className="flex w-[420px] flex-col">
      <Command.Input
        value={search}
        onValueChange={setSearch}
        placeholder="Search signals: out, D1, reservoir, .i"
        aria-label="Search signals"
        className="figures h-9 border-b border-hairline bg-transparent px-3 outline-none"
      />
      <Command.List className="max-h-80 overflow-auto p-1">
        {left.length === 0 && !formula && (
          <p className="px-2 py-1 text-muted">
            No signal matches. A formula of signals is drawn too: V1.v * -V1.i, db(out.v / in.v), mean(L1.i,
            20m).
          </p>
        )}
        {formula && (
          <Command.Item
            value="formula"
            onSelect={() => void draw()}
            className="cursor-pointer rounded-sm px-2 py-1 data-[selected=true]:bg-copper-soft"
          >
            Draw <span className="figures">{search.trim()}</span>
            {problem?.of === search && (
              <span role="alert" className="block text-xs text-missed">
                {problem.text}
              </span>
            )}
          </Command.Item>
        )}
        {left.map((group) => (
          <Command.Group
            key={group.title}
            heading={group.title}
            className="[&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:pt-1 [&_[cmdk-group-heading]]:text-xs [&_[cmdk-group-heading]]:text-muted"
          >
            {group.signals.map((signal) => (
              <Command.Item
                key={signal}
                value={signal}
                onSelect={() => onChoose(signal)}
                className="group flex cursor-pointer items-center gap-3 rounded-sm px-2 py-0.5 data-[selected=true]:bg-copper-soft"
              >
                <span className="figures w-32 truncate">
                  {signal} <span className="text-xs text-muted">{signalMeaning(signal, supply)}</span>
                </span>
                <Sparkline points={traces.data?.get(signal)} {...SPARK} />
                <Figures measures={measures.data?.find((m) => m.signal === signal)} />
              </Command.Item>
            ))}
          </Command.Group>
        ))}
      </Command.List>
    </Command>
  );
}

function Figures({ measures }: { measures?: SpanMeasures }) {
  if (!measures || measures.min == null || measures.max == null) return null;
  return (
    <span className="figures ml-auto text-xs whitespace-nowrap text-muted group-data-[selected=true]:text-ink">
      {measured(measures.min, measures.unit, 3)} … {measured(measures.max, measures.unit, 3)}
    </span>
  );
}
