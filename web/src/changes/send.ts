import { api, Refused, type Conflict, type SupplyShown } from "../api/client";
import type { Answer, Request } from "./queue";

/** What a server that is being started, or has lost its database, answers; it may answer better in a moment. */
const PASSING = [502, 503, 504];

/** Asks the server to make a change. */
export async function send(supply: string, request: Request): Promise<Answer> {
  const { data, error, response } = await asked(supply, request).catch(() => ({
    data: undefined,
    error: undefined,
    response: undefined,
  }));
  if (data !== undefined) return { stored: data as SupplyShown };
  if (response === undefined || PASSING.includes(response.status)) return { unanswered: true };
  if (response.status === 409) return { stale: (error as unknown as Conflict).current };
  return { refused: new Refused(error).message };
}

async function asked(supply: string, { change, revision, ...asks }: Request) {
  if ("document" in asks) {
    const body = { revision, change, document: asks.document };
    return await api.PUT("/api/supplies/{supply}", { params: { path: { supply } }, body });
  }
  const { edit } = asks;
  if ("restore" in edit) {
    const path = { supply, revision: edit.restore };
    return await api.POST("/api/supplies/{supply}/revisions/{revision}/restore", {
      params: { path },
      body: { revision, change },
    });
  }
  return await api.POST("/api/supplies/{supply}/edits", {
    params: { path: { supply } },
    body: { revision, change, edit },
  });
}
