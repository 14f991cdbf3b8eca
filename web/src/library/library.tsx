import { Ellipsis } from "lucide-react";
import { useDeferredValue, useState } from "react";
import { Link } from "react-router";

import { useSupplies, useTagSupply, type LibraryLook, type SupplyListed } from "../api/client";
import { useDeleteSupply, useUndeleteSupply } from "../api/deletion";
import { NewSupply } from "./newsupply";
import { RoomUsed } from "./room";
import { Ask } from "../ui/ask";
import { Button } from "../ui/button";
import { Window } from "../ui/dialog";
import { FIELD } from "../ui/field";
import { useKept } from "../ui/kept";
import { Menu, MenuItem } from "../ui/menu";
import { Mark } from "../ui/mark";
import { Notice } from "../ui/states";
import { Tally } from "../ui/tally";
import { ThemeSwitch } from "../ui/themeswitch";
import { when } from "../ui/when";

/** Every supply, with where its requirements stand. */
export function Library() {
  const [typed, setTyped] = useState("");
  const [order, setOrder] = useKept<LibraryLook["order"]>("library-order", "changed");
  const search = useDeferredValue(typed.trim());
  const supplies = useSupplies({ search, order });
  const listed = supplies.data?.pages.flat();
  const remove = useDeleteSupply();
  const back = useUndeleteSupply();
  const [asking, setAsking] = useState<SupplyListed>();
  const [tagging, setTagging] = useState<SupplyListed>();
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
        <div className="mb-3 flex items-center gap-2">
          <input
            type="search"
            value={typed}
            onChange={(event) => setTyped(event.target.value)}
            aria-label="Search the library"
            placeholder="Search titles, notes, stages and tags"
            spellCheck={false}
            className={`min-w-0 grow ${FIELD}`}
          />
          <select
            aria-label="Order"
            value={order}
            onChange={(event) => setOrder(event.target.value as LibraryLook["order"])}
            className={FIELD}
          >
            <option value="changed">Latest change first</option>
            <option value="begun">Latest begun first</option>
            <option value="title">By title</option>
          </select>
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
        {listed?.length === 0 && search !== "" && (
          <Notice>No supply has all of that; search for less.</Notice>
        )}
        {listed?.length === 0 && search === "" && (
          <Notice>
            The library is empty. Begin a new supply, or load the demo supplies with{" "}
            <code className="figures">mellow-coil load-demo</code>.
          </Notice>
        )}
        <ul className="grid gap-3 md:grid-cols-2">
          {listed?.map((supply) => (
            <li key={supply.id} className="relative">
              <span className="absolute top-2 right-2 z-10">
                <Menu
                  trigger={
                    <Button look="quiet" aria-label={`More for ${supply.title}`}>
                      <Ellipsis size={16} />
                    </Button>
                  }
                >
                  <MenuItem onSelect={() => setTagging(supply)}>Tags…</MenuItem>
                  <MenuItem onSelect={() => setAsking(supply)}>Delete…</MenuItem>
                </Menu>
              </span>
              <Card supply={supply} />
            </li>
          ))}
        </ul>
        {supplies.hasNextPage && (
          <p className="mt-3 text-center">
            <Button onClick={() => void supplies.fetchNextPage()} disabled={supplies.isFetchingNextPage}>
              Show more
            </Button>
          </p>
        )}
        <RoomUsed />
      </main>
      {tagging && <TagDialog key={tagging.id} supply={tagging} onClose={() => setTagging(undefined)} />}
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

/** A supply at a glance: its drawing, what it is made of, where it stands. */
function Card({ supply }: { supply: SupplyListed }) {
  return (
    <Link
      to={`/supplies/${supply.id}`}
      className="grid h-full grid-cols-[132px_minmax(0,1fr)] gap-4 rounded-md border border-hairline bg-panel p-4 transition-colors hover:border-copper"
    >
      <img
        src={`/api/supplies/${supply.id}/drawing.svg?revision=${supply.revision}`}
        alt=""
        loading="lazy"
        className="h-24 w-full rounded-sm object-contain dark:invert"
      />
      <div className="min-w-0">
        <h2 className="pr-8 font-semibold">{supply.title}</h2>
        <p className="mt-1 line-clamp-2 text-copper">{supply.stages.join(" → ")}</p>
        <p className="mt-1 line-clamp-2 text-muted">{supply.notes}</p>
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
        <p className="mt-1 text-xs text-muted" title={new Date(supply.changed_at).toLocaleString()}>
          Changed {when(supply.changed_at)}, revision {supply.revision}
          {supply.tags.map((tag) => (
            <span key={tag} className="ml-2 rounded-sm bg-copper-soft px-1.5 text-ink">
              {tag}
            </span>
          ))}
        </p>
      </div>
    </Link>
  );
}

/** What a supply is sorted under. */
function TagDialog({ supply, onClose }: { supply: SupplyListed; onClose: () => void }) {
  const [text, setText] = useState(supply.tags.join(", "));
  const tag = useTagSupply();
  const save = () => tag.mutate({ supply: supply.id, tags: text.split(",") }, { onSuccess: onClose });
  return (
    <Window
      title={`Tags of ${supply.title}`}
      close="Close without changing tags"
      onClose={onClose}
      className="w-[460px]"
    >
      <form
        className="grid gap-2 p-3"
        onSubmit={(event) => {
          event.preventDefault();
          save();
        }}
      >
        <input
          autoFocus
          value={text}
          onChange={(event) => setText(event.target.value)}
          aria-label="Tags"
          placeholder="tide gauges, berth 2"
          className={FIELD}
        />
        <p className="text-xs text-muted">Separated by commas; the library is searched by them too.</p>
        {tag.error && <p className="text-missed">{tag.error.message}</p>}
        <div className="flex justify-end">
          <Button look="main" type="submit" disabled={tag.isPending}>
            Save tags
          </Button>
        </div>
      </form>
    </Window>
  );
}
