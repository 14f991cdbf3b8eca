import { Group, Panel, Separator } from "react-resizable-panels";

import type { PartKind, Run, SupplyShown } from "../api/client";
import type { Editing } from "../frame/editing";
import { Dock } from "./dock";
import { Drawing } from "./drawing";
import { Inspector } from "./inspector";
import { Strips } from "./strips";

interface Props {
  shown: SupplyShown;
  kinds: PartKind[];
  editing: Editing;
  study: string;
  run?: Run;
  before?: Run;
  part?: string;
  onPart: (part: string | undefined) => void;
  stage?: string;
  onStage: (stage: string | undefined) => void;
}

/** The main view: drawing, strips, numbers. */
export function Desk(props: Props) {
  const { shown, kinds, editing, study, run, before, part, onPart, stage } = props;
  const { document: supply } = shown;
  const chosen = supply.parts?.find((p) => p.id === part);
  const kind = kinds.find((k) => k.id === chosen?.kind);
  return (
    <Group orientation="vertical" className="h-full">
      <Panel defaultSize="64%" minSize="30%">
        <Group orientation="horizontal">
          <Panel defaultSize="46%" minSize="20%">
            <Drawing
              drawing={shown.drawing}
              kinds={kinds}
              findings={shown.findings}
              part={part}
              stage={stage}
              supply={shown.id}
              onPart={onPart}
              editing={editing}
            />
          </Panel>
          <Separator
            aria-label="Width of drawing and strips"
            className="w-px bg-hairline data-[separator=active]:bg-copper"
          />
          <Panel minSize="25%">
            <Strips key={study} supply={supply} study={study} run={run} />
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
            onPart={onPart}
          />
          {chosen && kind && (
            <Inspector
              key={chosen.id}
              supply={shown}
              part={chosen}
              kind={kind}
              onClose={() => onPart(undefined)}
              editing={editing}
            />
          )}
        </div>
      </Panel>
    </Group>
  );
}
