import { X } from "lucide-react";

import type { Finding, Supply } from "../api/client";
import { Button } from "../ui/button";
import { ValueField } from "../ui/valuefield";

type Output = NonNullable<Supply["outputs"]>[number];

interface Props {
  supply: string;
  output: Output;
  findings: Finding[];
  onChange: (next: (output: Output) => Output) => void;
  onRemove: () => void;
}

/** One voltage the supply must deliver. */
export function OutputRow({ supply, output, findings, onChange, onRemove }: Props) {
  const field = (
    label: string,
    name: "voltage" | "current" | "accuracy" | "ripple",
    unit: "volt" | "ampere" | "share",
    help: string,
    fallback?: string,
  ) => (
    <ValueField
      supply={supply}
      label={label}
      help={help}
      unit={unit}
      text={output[name] ?? ""}
      fallback={fallback}
      onCommit={(text) => onChange((o) => ({ ...o, [name]: text === "" ? null : text }))}
    />
  );
  return (
    <fieldset
      className="grid gap-1 rounded-md border border-hairline bg-panel p-3"
      data-testid={`output-${output.id}`}
    >
      <legend className="sr-only">{output.title}</legend>
      <div className="flex items-center">
        <input
          key={output.title}
          aria-label="Title of the output"
          defaultValue={output.title}
          onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
          onBlur={(event) => {
            const title = event.target.value.trim();
            if (title && title !== output.title) onChange((o) => ({ ...o, title }));
          }}
          className="min-w-0 grow rounded-sm bg-transparent px-1 font-semibold hover:bg-ground"
        />
        <Button look="quiet" aria-label={`Remove ${output.title}`} onClick={onRemove}>
          <X size={16} />
        </Button>
      </div>
      {field("Voltage", "voltage", "volt", "Nominal voltage; negative for a negative rail.")}
      {field("Current", "current", "ampere", "The most that is drawn.")}
      {field("Accuracy", "accuracy", "share", "How far the mean may be off.", "5")}
      {field("Ripple", "ripple", "volt", "Allowed, peak to peak.", "a hundredth of the voltage")}
      {findings.map((finding) => (
        <p key={finding.message} className="text-xs text-missed">
          {finding.message}. {finding.remedy}.
        </p>
      ))}
    </fieldset>
  );
}
