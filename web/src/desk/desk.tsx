import { Group, Panel, Separator } from "react-resizable-panels";

import { whyBlocked, type PartKind, type Run, type SupplyShown } from "../api/client";
import { Drawing } from "../drawing/drawing";
import type { Editing } from "../frame/editing";
import { Dock } from "./dock";
import { Inspector } from "./inspector";
import { Strips } from "./strips";

interface Props {
  shown: SupplyShown;
  kinds: PartKind[];
  editing: Editing;
  study: string;
  run?: Run;
  before?: Run;
  /** The parts chosen in the drawing; the inspector shows a single one. */
  parts: string[];
  onParts: (parts: string[]) => void;
  stage?: string;
  onStage: (stage: string | undefined) => void;
}

/** The main view: drawing, strips, numbers. */
export function Desk(props: Props) {
  const { shown, kinds, editing, study, run, before, parts, onParts, stage } = props;
  const { document: supply } = shown;
  const chosen = parts.length === 1 ? supply.parts?.find((p) => p.id === parts[0]) : undefined;
  const kind = kinds.find((k) => k.id === chosen?.kind);
  return (
    <Group orientation="vertical" className="h-full">
      <Panel defaultSize="64%" minSize="30%">
        <Group orientation="horizontal">
          <Panel defaultSize="46%" minSize="20%">
            <Drawing
              shown={shown}
              kinds={kinds}
              findings={shown.findings}
              selected={parts}
              stage={stage}
              onSelect={onParts}
              editing={editing}
            />
          </Panel>
          <Separator
            aria-label="Width of drawing and strips"
            className="w-px bg-hairline data-[separator=active]:bg-copper"
          />
          <Panel minSize="25%">
            <Strips
              key={study}
              supply={supply}
              study={study}
              run={run}
              blocked={whyBlocked(shown.findings)}
            />
          </Panel>
        </Group>
      </Panel>
      <Separator
        aria-label="Height of the dock"
        className="h-px bg-hairline data-[separator=active]:bg-copper"
      />
      <Panel minSize="12%">
        <div className="relative h-full">
          <Dock
            shown={shown}
            editing={editing}
            run={run}
            before={before}
            stage={stage}
            onStage={props.onStage}
            onPart={(part) => onParts([part])}
          />
          {chosen && kind && (
            <Inspector
              key={chosen.id}
              supply={shown}
              part={chosen}
              kind={kind}
              onClose={() => onParts([])}
              kinds={kinds}
              editing={editing}
            />
          )}
        </div>
      </Panel>
    </Group>
  );
}
