import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, Refused, taken, type Run } from "./client";
import type { components } from "./schema";

export type Room = components["schemas"]["RoomShown"];

/** The room used, the rule for old runs, and what can be had back. */
export function useRoom() {
  return useQuery({
    queryKey: ["room"],
    queryFn: async () => taken<Room>(await api.GET("/api/room")),
  });
}

/** A change that is answered with nothing but success; what the library and the history show is fetched anew. */
function useChange<T>(change: (of: T) => Promise<{ error?: unknown; response: Response }>) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (of: T) => {
      const { error, response } = await change(of);
      if (!response.ok) throw new Refused(error);
    },
    onSettled: () =>
      client.invalidateQueries({
        predicate: ({ queryKey }) => ["room", "supplies", "runs"].includes(String(queryKey[0])),
      }),
  });
}

const supplyIn = (supply: string) => ({ params: { path: { supply } } });
const runIn = (run: string) => ({ params: { path: { run } } });

export const useDeleteSupply = () =>
  useChange((id: string) => api.DELETE("/api/supplies/{supply}", supplyIn(id)));

export const useUndeleteSupply = () =>
  useChange((id: string) => api.POST("/api/supplies/{supply}/undelete", supplyIn(id)));

export const useDeleteRun = () => useChange((id: string) => api.DELETE("/api/runs/{run}", runIn(id)));

export const useUndeleteRun = () =>
  useChange((id: string) => api.POST("/api/runs/{run}/undelete", runIn(id)));

/** Keeps a run however many follow, or no longer; notes something beside it. */
export const useRemark = () =>
  useChange(({ id, marked, note }: { id: string; marked?: boolean; note?: string }) =>
    api.POST("/api/runs/{run}/remark", {
      ...runIn(id),
      body: { marked: marked ?? null, note: note ?? null },
    }),
  );

export const useKeepRuns = () =>
  useChange((keep_runs: number) => api.PUT("/api/room/keep-runs", { body: { keep_runs } }));

export const useGiveFree = () => useChange(() => api.POST("/api/room/give-free"));

/** Runs of a supply that were deleted one by one and can be had back. */
export function useDeletedRuns(supply: string, wanted: boolean) {
  return useQuery({
    queryKey: ["runs", supply, "deleted"],
    enabled: wanted,
    queryFn: async () =>
      taken<Run[]>(
        await api.GET("/api/supplies/{supply}/runs", {
          params: { path: { supply }, query: { deleted: true } },
        }),
      ),
  });
}
