import type { Stage } from "../api/client";

export interface Node {
  stage: Stage;
  column: number;
  row: number;
  /** Index of the stage before, in the same list. */
  before?: number;
}

/** Stages as a tree from left to right: the first branch goes on in its row, others open rows beneath. */
export function layOut(stages: Stage[]): { nodes: Node[]; columns: number; rows: number } {
  const nodes: Node[] = [];
  let rows = 0;
  const walk = (stage: Stage, column: number, row: number, before?: number) => {
    const at = nodes.push({ stage, column, row, before }) - 1;
    stages
      .filter((s) => s.after === stage.id)
      .forEach((next, k) => walk(next, column + 1, k === 0 ? row : rows++, at));
  };
  for (const source of stages.filter((s) => !s.after)) walk(source, 0, rows++);
  return { nodes, columns: Math.max(1, ...nodes.map((n) => n.column + 1)), rows };
}
