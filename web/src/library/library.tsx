import { Ellipsis } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";

import { useSupplies, type SupplyListed } from "../api/client";
import { useDeleteSupply, useUndeleteSupply } from "../api/deletion";
import { NewSupply } from "./newsupply";
import { RoomUsed } from "./room";
import { Ask } from "../ui/ask";
import { Button } from "../ui/button";
import { Menu, MenuItem } from "../ui/menu";
import { Mark } from "../ui/mark";
import { Notice } from "../ui/states";
import { Tally } from "../ui/tally";
import { ThemeSwitch } from "../ui/themeswitch";

/** Every supply, with where its requirements stand. */
export function Library() {
  const supplies = useSupplies();
  const remove = useDeleteSupply();
  const back = useUndeleteSupply();
  const [asking, setAsking] = useState<SupplyListed>();
  const [deleted, setDeleted] = useState<SupplyListed>();
  const problem = remove.error ?? back.error;
  return (
    <div className="flex h-full flex-col">
      <header className="flex h-11 items-center gap-2 border-b border-hairline bg-panel px-4">
        <Mark />
        <span className="font-semibold">Mellow Coil</span>
        <span className="grow" />
        <ThemeSwitch />
      </header>
      <main className="mx-auto w-full max-w-5xl grow overflow-auto p-6">
        <div className="mb-4 flex items-center">
          <h1 className="grow text-xl font-semibold">Library</h1>
          <NewSupply />
        </div>
        {deleted && (
          <p role="status" className="mb-3 flex items-center gap-2 rounded-md bg-copper-soft px-3 py-1.5">
            Deleted {deleted.title}. It can be had back for a day.
            <Button
              className="h-7"
              onClick={() => back.mutate(deleted.id, { onSuccess: () => setDeleted(undefined) })}
            >
              Undo
            </Button>
          </p>
        )}
        {(supplies.isError || problem) && <Notice>{(supplies.error ?? problem)?.message}</Notice>}
        {supplies.data?.length === 0 && (
          <Notice>
            The library is empty. Begin a new supply, or load the demo supplies with{" "}
            <code className="figures">mellow-coil load-demo</code>.
          </Notice>
        )}
        <ul className="grid gap-3 md:grid-cols-2">
          {supplies.data?.map((supply) => (
            <li key={supply.id} className="relative">
              <span className="absolute top-2 right-2">
                <Menu
                  trigger={
                    <Button look="quiet" aria-label={`More for ${supply.title}`}>
                      <Ellipsis size={16} />
                    </Button>
                  }
                >
                  <MenuItem onSelect={() => setAsking(supply)}>Delete…</MenuItem>
                </Menu>
              </span>
              <Link
                to={`/supplies/${supply.id}`}
                className="block h-full rounded-md border border-hairline bg-panel p-4 transition-colors hover:border-copper"
              >
                <h2 className="pr-10 font-semibold">{supply.title}</h2>
                <p className="mt-1 text-copper">{supply.stages.join(" → ")}</p>
                <p className="mt-2 line-clamp-2 text-muted">{supply.notes}</p>
                {supply.problem ? (
                  <p className="mt-2 text-missed">It cannot be read: {supply.problem}.</p>
                ) : (
                  <div className="mt-2" data-testid="tally">
                    {Object.values(supply.tally).every((count) => count === 0) ? (
                      <span className="text-muted">No requirements</span>
                    ) : (
                      <Tally {...supply.tally} stale={supply.changed_since_run} />
                    )}
                  </div>
                )}
                <p className="mt-1 text-xs text-muted">
                  Changed {new Date(supply.changed_at).toLocaleString()}, revision {supply.revision}
                </p>
              </Link>
            </li>
          ))}
        </ul>
        <RoomUsed />
      </main>
      {asking && (
        <Ask
          title={`Delete ${asking.title}?`}
          doIt="Delete it"
          leaveIt="Keep it"
          onDo={() => {
            remove.mutate(asking.id, { onSuccess: () => setDeleted(asking) });
            setAsking(undefined);
          }}
          onLeave={() => setAsking(undefined)}
        >
          All its revisions and runs go with it. It can be had back for a day.
        </Ask>
      )}
    </div>
  );
}
