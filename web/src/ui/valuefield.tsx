import { useEffect, useId, useRef, useState, type KeyboardEvent } from "react";

import { evaluateEntry, type EntryMeaning, type Finding, type Unit } from "../api/client";
import { entering } from "./entering";
import { plain } from "./plain";
import { show, symbol } from "./quantity";

interface Props {
  supply: string;
  label: string;
  help: string;
  unit: Unit;
  text: string;
  /** How an amplitude is meant, if the value is one. */
  meant?: string;
  finding?: Finding;
  /** What an empty field means; without it a value is needed. */
  fallback?: string;
  onCommit: (text: string) => void;
}

/** Engineering entry: Enter commits, Esc restores, ↑ and ↓ step through preferred values. */
export function ValueField(props: Props) {
  const { supply, label, help, unit, meant, finding, fallback } = props;
  const share = unit === "share";
  const text = share ? inPercent(props.text) : props.text;
  const onCommit = (entry: string) => props.onCommit(said(entry));
  const said = (entry: string) => (share ? ofPercent(entry) : entry);
  const id = useId();
  const [typed, setTyped] = useState(text);
  const [known, setKnown] = useState(text);
  if (known !== text) {
    // Changed elsewhere; what is being typed stays.
    setKnown(text);
    if (typed === known) setTyped(text);
  }
  const field = useRef<HTMLInputElement>(null);
  const [found, setFound] = useState<{ text: string; meaning: EntryMeaning }>();
  // What another text means says nothing of this one.
  const meaning = found?.text === typed ? found.meaning : undefined;
  useEffect(() => {
    let current = true;
    const timer = setTimeout(() => {
      evaluateEntry(supply, share ? ofPercent(typed) : typed, unit).then(
        (meaning) => current && setFound({ text: typed, meaning }),
        () => current && setFound(undefined),
      );
    }, 80);
    return () => {
      current = false;
      clearTimeout(timer);
    };
  }, [supply, typed, unit, share]);

  const empty = fallback !== undefined && typed.trim() === "";
  const told = empty ? undefined : plain(typed, unit);
  const commit = () => {
    const entry = field.current?.value ?? typed;
    if (entry === text) return;
    const read = plain(entry, unit);
    if ((fallback !== undefined && entry.trim() === "") || read === "fine") return onCommit(entry.trim());
    if (read) return entering(Promise.resolve(false));
    const looked =
      found?.text === entry ? Promise.resolve(found.meaning) : evaluateEntry(supply, said(entry), unit);
    entering(
      looked.then(
        (meaning) => {
          setFound({ text: entry, meaning });
          if (!meaning.problem) onCommit(entry.trim());
          return !meaning.problem;
        },
        () => {
          setFound(undefined);
          return false;
        },
      ),
    );
  };
  const onKey = async (event: KeyboardEvent<HTMLInputElement>) => {
    if (event.key === "Enter") commit();
    if (event.key === "Escape") {
      event.stopPropagation();
      setTyped(text);
    }
    if (event.key === "ArrowUp" || event.key === "ArrowDown") {
      event.preventDefault();
      const entry = event.currentTarget.value;
      const way = event.key === "ArrowUp" ? "up" : "down";
      const stepped = await evaluateEntry(supply, said(entry), unit, way);
      // What was typed while it was on its way stays.
      if (!stepped.problem && field.current?.value === entry)
        setTyped(share ? inPercent(stepped.text) : stepped.text);
    }
  };
  const wrong = told && told !== "fine" ? told.problem : meaning?.problem;
  const problem = empty ? undefined : (wrong ?? (typed === text ? finding?.message : undefined));
  const changed = typed !== text;
  return (
    <div className="flex items-start gap-1" title={help}>
      <label htmlFor={id} className="w-36 shrink-0 pt-1 text-muted">
        {label}
      </label>
      <div className="grow">
        <div
          className={`flex items-center rounded-md border ${problem ? "border-missed" : "border-hairline"}`}
        >
          <input
            id={id}
            ref={field}
            value={typed}
            placeholder={fallback}
            onChange={(event) => setTyped(event.target.value)}
            onKeyDown={onKey}
            onBlur={commit}
            aria-invalid={problem !== undefined}
            aria-describedby={`${id}-note`}
            autoComplete="off"
            spellCheck={false}
            className="figures h-7 w-full min-w-0 rounded-md bg-transparent px-2"
          />
          <span className="px-2 text-muted">{symbol(unit)}</span>
        </div>
        <p id={`${id}-note`} className={`figures text-xs ${problem ? "text-missed" : "text-muted"}`}>
          {problem ??
            (empty
              ? fallback === "not stated"
                ? "\u00a0"
                : "unless stated"
              : note(meaning, unit, meant, typed))}
          {changed && !problem && <span className="font-sans"> · Enter to set</span>}
        </p>
      </div>
    </div>
  );
}

const NUMBER = /^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i;

/** A share as it stands in a field of per cent: its number alone, or the expression it is. */
function inPercent(text: string): string {
  const percent = /^(.*?)\s*%$/.exec(text.trim())?.[1];
  if (percent !== undefined && NUMBER.test(percent)) return percent;
  return NUMBER.test(text.trim()) ? String(Number((100 * Number(text)).toPrecision(12))) : text;
}

/** What a field of per cent says, as it stands in the document. */
function ofPercent(entry: string): string {
  const text = entry.trim();
  return NUMBER.test(text) ? `${text} %` : text;
}

/** What a text means; nothing where that would only repeat it. */
function note(
  meaning: EntryMeaning | undefined,
  unit: Unit,
  meant: string | undefined,
  typed: string,
): string {
  if (meaning?.value == null) return "\u00a0";
  const value = meaning.value;
  const peak = { rms: Math.SQRT2 * value, peak: value, peak_to_peak: value / 2 }[meant ?? ""];
  if (peak === undefined) {
    const bare = (text: string) => text.replaceAll(/\s/g, "");
    const [shown, said] = [bare(meaning.shown ?? ""), bare(typed)];
    return shown === said || shown === said + symbol(unit) ? "\u00a0" : (meaning.shown ?? "");
  }
  const forms = [
    meant !== "rms" && `${show(peak / Math.SQRT2, unit)} RMS`,
    meant !== "peak" && `${show(peak, unit)} peak`,
    meant !== "peak_to_peak" && `${show(2 * peak, unit)} peak-to-peak`,
  ];
  return `= ${forms.filter(Boolean).join(", ")}`;
}
