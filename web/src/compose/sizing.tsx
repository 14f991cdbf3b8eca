import { useState } from "react";

import { useSizing, type Proposal, type Stage, type SupplyShown } from "../api/client";
import type { Editing } from "../frame/editing";
import { Button } from "../ui/button";
import { show, symbol } from "../ui/quantity";
import { StageActions } from "./stageactions";

interface Props {
  shown: SupplyShown;
  stage: Stage;
  editing: Editing;
  onStage: (stage: string | undefined) => void;
  onPart: (part: string) => void;
}

/** How a stage came to its values: what was chosen, each formula with its numbers, what to expect. */
export function Sizing({ shown, stage, editing, onStage, onPart }: Props) {
  const [typed, setTyped] = useState<Record<string, string>>();
  const choices = typed && { ...stage.choices, ...typed };
  const sizing = useSizing(shown, stage.id, choices);
  if (!stage.form) {
    return (
      <div className="grid gap-2 p-3">
        <StageActions shown={shown} stage={stage} editing={editing} onStage={onStage} />
        <p className="text-muted">
          This stage was drawn part by part, so there is nothing to size it by. Its values are set in the
          drawing.
        </p>
      </div>
    );
  }
  const proposal = sizing.data;
  const size = (everything: boolean) =>
    editing
      .compose(`size ${stage.title.toLowerCase()}`, {
        edit: "size",
        stage: stage.id,
        choices: choices ?? stage.choices ?? {},
        everything,
      })
      .then((stored) => stored && setTyped(undefined));
  return (
    <div className="p-3">
      <StageActions shown={shown} stage={stage} editing={editing} onStage={onStage} />
      {sizing.isError && <p className="text-missed">{sizing.error.message}</p>}
      {proposal?.warnings.map((warning) => (
        <p key={warning} role="alert" className="mb-1 text-close">
          {warning}
        </p>
      ))}
      {proposal && (
        <div className="grid grid-cols-[260px_minmax(0,1fr)_300px] gap-5">
          <Choices
            proposal={proposal}
            stage={stage}
            typed={typed ?? {}}
            onType={(id, text) => setTyped({ ...typed, [id]: text })}
            onSize={size}
          />
          <Steps proposal={proposal} />
          <Expectations shown={shown} proposal={proposal} onPart={onPart} />
        </div>
      )}
    </div>
  );
}

interface ChoicesProps {
  proposal: Proposal;
  stage: Stage;
  typed: Record<string, string>;
  onType: (id: string, text: string) => void;
  onSize: (everything: boolean) => void;
}

function Choices({ proposal, stage, typed, onType, onSize }: ChoicesProps) {
  const manual = proposal.parts.flatMap((p) =>
    p.by_hand.map((name) => `${p.id} ${name.replaceAll("_", " ")}`),
  );
  const outdated = proposal.parts.some((p) =>
    Object.entries(p.parameters).some(([name, text]) => stage.sized?.[`${p.role}.${name}`] !== text),
  );
  const changed = Object.keys(typed).length > 0 || outdated;
  return (
    <section aria-label="Choices" className="grid content-start gap-1.5">
      <h3 className="text-xs text-muted">What was chosen</h3>
      {proposal.choices.length === 0 && <p className="text-muted">Nothing to choose here.</p>}
      {proposal.choices.map((choice) => (
        <label key={choice.id} className="grid grid-cols-[1fr_136px] items-center gap-2" title={choice.help}>
          <span className={choice.by_hand ? "" : "text-muted"}>{choice.title}</span>
          {choice.options.length > 0 ? (
            <select
              value={typed[choice.id] ?? choice.value}
              onChange={(event) => onType(choice.id, event.target.value)}
              className="h-7 rounded-md border border-hairline bg-panel px-1"
            >
              {choice.options.map(([id, name]) => (
                <option key={id} value={id}>
                  {name}
                </option>
              ))}
            </select>
          ) : (
            <span className="flex items-center rounded-md border border-hairline">
              <input
                value={typed[choice.id] ?? (choice.by_hand ? choice.value : "")}
                placeholder={choice.value}
                onChange={(event) => onType(choice.id, event.target.value)}
                onKeyDown={(event) => event.key === "Enter" && onSize(false)}
                spellCheck={false}
                autoComplete="off"
                className="figures h-7 w-full min-w-0 rounded-md bg-transparent px-2 text-right"
              />
              <span className="pr-2 text-muted">{choice.unit ? symbol(choice.unit) : ""}</span>
            </span>
          )}
        </label>
      ))}
      {manual.length > 0 && <p className="text-xs text-muted">Set by hand, and kept: {manual.join(", ")}.</p>}
      <div className="flex gap-2 pt-1">
        <Button look={changed ? "main" : "plain"} disabled={!changed} onClick={() => onSize(false)}>
          Size it
        </Button>
        {manual.length > 0 && <Button onClick={() => onSize(true)}>Size everything</Button>}
      </div>
      {!changed && (
        <p className="text-xs text-muted">The values in the drawing are the ones proposed here.</p>
      )}
    </section>
  );
}

function Steps({ proposal }: { proposal: Proposal }) {
  if (proposal.steps.length === 0) {
    return <p className="text-muted">This form has nothing to compute; its values are what was asked.</p>;
  }
  return (
    <table className="self-start" aria-label="Sizing">
      <thead className="text-left text-xs text-muted">
        <tr>
          <th className="pr-3 font-normal">Value</th>
          <th className="pr-3 font-normal">Formula, and with its numbers</th>
          <th className="pr-3 text-right font-normal">Result</th>
          <th className="text-right font-normal">Taken</th>
        </tr>
      </thead>
      <tbody>
        {proposal.steps.map((step, i) => (
          <tr key={i} className="border-t border-hairline align-top">
            <td className="py-1 pr-3" title={`From: ${step.origin}`}>
              {step.title}
            </td>
            <td className="figures py-1 pr-3 text-xs">
              <span className="block">{dotted(step.formula)}</span>
              <span className="block text-muted">= {rooted(step.numbers)}</span>
            </td>
            <td className="figures py-1 pr-3 text-right whitespace-nowrap">{show(step.ideal, step.unit)}</td>
            <td className="figures py-1 text-right whitespace-nowrap">
              {step.taken != null && (
                <>
                  {show(step.taken, step.unit)}
                  <span className="block max-w-36 font-sans text-xs whitespace-normal text-muted">
                    {step.from}
                  </span>
                </>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function dotted(formula: string): string {
  return rooted(formula.replaceAll("*", "·").replaceAll("sqrt", "√"));
}

/** The root of a single word needs no parentheses. */
function rooted(text: string): string {
  return text.replace(/√\((\w+)\)/g, "√$1");
}

interface ExpectationsProps {
  shown: SupplyShown;
  proposal: Proposal;
  onPart: (part: string) => void;
}

function Expectations({ shown, proposal, onPart }: ExpectationsProps) {
  return (
    <section className="grid content-start gap-3">
      {proposal.promises.length > 0 && (
        <table aria-label="Expected" className="w-full">
          <caption className="text-left text-xs text-muted">To expect at nominal line and full load</caption>
          <tbody>
            {proposal.promises.map((promise) => (
              <tr key={promise.title} className="border-t border-hairline">
                <td className="py-1" title={`${promise.measure.replaceAll("_", " ")} of ${promise.signal}`}>
                  {promise.title}
                </td>
                <td className="figures py-1 text-right whitespace-nowrap">
                  {promise.at_most && "at most "}
                  {show(promise.value, promise.unit)}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <p className="flex flex-wrap gap-x-2 text-xs text-muted">
        Parts:
        {proposal.parts.map((part) => (
          <button
            key={part.id}
            type="button"
            className="text-copper underline"
            disabled={!shown.document.parts?.some((p) => p.id === part.id)}
            onClick={() => onPart(part.id)}
          >
            {part.id}
          </button>
        ))}
      </p>
    </section>
  );
}
