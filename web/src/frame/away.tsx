import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";

/** How often the server is asked whether it is there, and while it is away, in ms. */
const EVERY = 5000;
const AGAIN = 1500;

/** Says that the server is away for as long as it is; fetches everything anew once it is back. */
export function Away() {
  const client = useQueryClient();
  const health = useQuery({
    queryKey: ["health"],
    retry: false,
    refetchInterval: (query) => (query.state.status === "error" ? AGAIN : EVERY),
    queryFn: async () => {
      const answer = await fetch("/api/health");
      if (!answer.ok) throw new Error(((await answer.json()) as { message?: string }).message);
      return "there";
    },
  });
  const was = useRef(false);
  useEffect(() => {
    if (was.current && !health.isError) {
      void client.invalidateQueries({ predicate: (query) => query.queryKey[0] !== "health" });
    }
    was.current = health.isError;
  }, [client, health.isError]);
  if (!health.isError) return null;
  return (
    <p role="alert" className="shrink-0 border-b border-hairline bg-copper-soft px-4 py-1.5 text-sm">
      {navigator.onLine
        ? "The server does not answer just now."
        : "This machine is offline, and the server out of reach."}{" "}
      What you see stays; what you change is kept here and saved once it is back. Trying again…
    </p>
  );
}
