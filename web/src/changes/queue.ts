import { v4 as uuid } from "uuid";

import type { Edit, Supply, SupplyShown } from "../api/client";
import { made, reversed, stepsBetween, type Step } from "./steps";

/** An earlier version to be stored again. */
export interface Restoring {
  restore: number;
}

/**
 * Something to be done to a supply: steps known here, which `states` has stages follow and which `gives` way where something else
 * was done since; a deed of the server; or the way back from an earlier change, as long as its steps are not known.
 */
export type Change = { id: string; what: string; over?: boolean } & (
  { steps: Step[]; states?: boolean; gives?: boolean } | { edit: Edit | Restoring } | { inverts: string }
);

/** What is asked of the server. */
export type Request = { change: string; revision: number } & (
  { document: Supply } | { edit: Edit | Restoring }
);

/** What the server makes of it; it is asked again if it did not answer. */
export type Answer =
  { stored: SupplyShown } | { stale: SupplyShown } | { refused: string } | { unanswered: true };

/** What the queue needs from outside. */
export interface Outside {
  send: (request: Request) => Promise<Answer>;
  /** Hands over what is stored now. */
  stored: (supply: SupplyShown) => void;
  load: () => Change[];
  /** Keeps what is not stored yet, over a reload. */
  keep: (change: Change) => void;
  forget: (change: Change) => void;
  pause: () => Promise<void>;
}

/** What became of a change: the supply before and after it. */
export interface Made {
  before: Supply;
  after: SupplyShown;
}

/** How things stand. */
export interface Standing {
  /** What is stored, with everything made since on top. */
  shown: SupplyShown;
  /** Changes not stored yet. */
  pending: number;
  /** Whether the server does not answer. */
  unanswered: boolean;
  /** Why the last change was not made. */
  problem?: string;
  /** The change that meets another one of another window. */
  conflict?: string;
  undoes?: string;
  redoes?: string;
}

type Known = Pick<Change, "id" | "what">;

/**
 * The changes of one supply, made one after the other on whatever is the newest, shown at once, kept until they are stored.
 * None takes another back: each is but what it changes.
 */
export class Changes {
  private pending: Change[];
  private readonly inverses = new Map<string, Step[]>();
  /** What was stored when a change was asked for; later askings do not count as long as the first may have been heard. */
  private readonly asked = new Map<string, SupplyShown>();
  private readonly waiting = new Map<string, (made: Made | undefined) => void>();
  private past: Known[] = [];
  private future: Known[] = [];
  private idle: (() => void)[] = [];
  private sending = false;
  private unanswered = false;
  private problem?: string;
  private refusals = 0;
  private clashes = false;
  private readonly listeners = new Set<() => void>();
  private standing: Standing;

  constructor(
    private base: SupplyShown,
    private readonly outside: Outside,
  ) {
    this.pending = outside.load();
    this.standing = this.stands();
    void this.send();
  }

  subscribe = (listener: () => void) => {
    this.listeners.add(listener);
    return () => void this.listeners.delete(listener);
  };

  snapshot = () => this.standing;

  /** Takes notice of what is stored, from elsewhere. */
  notice(base: SupplyShown) {
    if (base.revision <= this.base.revision) return;
    this.base = base;
    this.tell();
  }

  /** Changes the newest document; `states` if stages follow from what is changed. Answers once it is stored. */
  change(what: string, change: (document: Supply) => void, states = false): Promise<Made | undefined> {
    const before = this.standing.shown.document;
    const after = structuredClone(before);
    change(after);
    const steps = stepsBetween(before, after);
    // What leaves all as it was is no step to undo and no revision.
    if (steps.length === 0) return Promise.resolve(undefined);
    return this.add({ id: uuid(), what, steps, states });
  }

  /** Has the server make a change; answers once it is stored. */
  compose(what: string, edit: Edit | Restoring): Promise<Made | undefined> {
    return this.add({ id: uuid(), what, edit });
  }

  undo = () => this.back(this.past, this.future);

  redo = () => this.back(this.future, this.past);

  /** Whether everything is stored, once that is known; not if something was refused on the way. */
  async settled(): Promise<boolean> {
    const before = this.refusals;
    while (this.pending.length > 0 && !this.clashes && !this.unanswered) {
      await new Promise<void>((resolve) => this.idle.push(resolve));
    }
    return this.pending.length === 0 && this.refusals === before;
  }

  /** Makes the changes that meet others of another window all the same. */
  overwrite = () => this.resolve((pending) => pending.map((change) => ({ ...change, over: true })));

  /** Leaves out the change that meets another. */
  giveWay = () => {
    const [first] = this.pending;
    if (first) this.drop(first);
    this.resolve((pending) => pending);
  };

  private resolve(next: (pending: Change[]) => Change[]) {
    this.clashes = false;
    this.pending = next(this.pending);
    this.tell();
    void this.send();
  }

  private add(change: Change): Promise<Made | undefined> {
    this.past.push(change);
    this.future = [];
    return this.enqueue(change);
  }

  private back(from: Known[], to: Known[]) {
    const last = from.pop();
    if (!last) return;
    const known = this.inverses.get(last.id);
    const way = known ? { steps: known, gives: true } : { inverts: last.id };
    const change = { id: uuid(), what: last.what, ...way };
    to.push(change);
    void this.enqueue(change);
  }

  private enqueue(change: Change): Promise<Made | undefined> {
    this.problem = undefined;
    this.pending.push(change);
    this.outside.keep(change);
    const done = new Promise<Made | undefined>((resolve) => this.waiting.set(change.id, resolve));
    this.tell();
    void this.send();
    return done;
  }

  /** The steps of a change; nothing where only the server knows. */
  private stepsOf(change: Change): Step[] | undefined {
    if ("steps" in change) return change.steps;
    if ("edit" in change) return undefined;
    const known = this.inverses.get(change.inverts);
    if (known) return known;
    const target = this.pending.find((other) => other.id === change.inverts);
    const steps = target && this.stepsOf(target);
    return steps && reversed(steps);
  }

  private document(): Supply {
    return this.pending.reduce((document, change) => {
      const steps = this.stepsOf(change);
      return steps ? made(document, steps, change.over).document : document;
    }, this.base.document);
  }

  /** What to ask of the server; nothing if all is as it shall be, or if it clashes with another window's. */
  private request(change: Change): Request | "clashes" | undefined {
    const { document, revision } = this.base;
    const asks = { change: change.id, revision };
    if ("edit" in change) return { ...asks, edit: change.edit };
    const { document: next, unfit } = made(document, this.stepsOf(change) ?? [], change.over);
    // The way back leaves alone what was changed since.
    if (unfit.length > 0 && "steps" in change && !change.gives) return "clashes";
    if (stepsBetween(document, next).length === 0) return undefined;
    if ("steps" in change && change.states) {
      return { ...asks, edit: { edit: "state", source: next.source ?? null, outputs: next.outputs ?? [] } };
    }
    return { ...asks, document: next };
  }

  private async send() {
    if (this.sending) return;
    this.sending = true;
    for (let change = this.pending[0]; change && !this.clashes; change = this.pending[0]) {
      const request = this.request(change);
      if (request === "clashes") this.clashes = true;
      else if (request === undefined) this.finish(change, this.base);
      else {
        if (!this.asked.has(change.id)) this.asked.set(change.id, this.base);
        const answer = await this.outside.send(request);
        this.unanswered = "unanswered" in answer;
        if ("stored" in answer) this.finish(change, answer.stored);
        else if ("stale" in answer) {
          this.asked.delete(change.id);
          this.take(answer.stale);
        } else if ("refused" in answer) {
          this.problem = answer.refused;
          this.refusals += 1;
          this.drop(change);
        } else {
          this.tell();
          await this.outside.pause();
        }
      }
      this.tell();
    }
    this.sending = false;
  }

  private take(base: SupplyShown) {
    if (base.revision < this.base.revision) return;
    this.base = base;
    this.outside.stored(base);
  }

  private finish(change: Change, after: SupplyShown) {
    const before = this.asked.get(change.id);
    const steps = this.stepsOf(change);
    if (before && after.revision === before.revision + 1) {
      this.inverses.set(change.id, stepsBetween(after.document, before.document));
    } else if (steps) {
      // It was found stored, among changes of others perhaps.
      this.inverses.set(change.id, reversed(steps));
    } else {
      // What the server made of it is not told apart from what others made: there is no way back to offer.
      this.forget(change);
    }
    this.take(after);
    this.leave(change, { before: (before ?? after).document, after });
    this.pending = this.pending.map((other) => this.settle(other));
  }

  /** A way back whose steps are known by now is kept with them: after a reload nobody else knows them. */
  private settle(change: Change): Change {
    const steps = "inverts" in change ? this.inverses.get(change.inverts) : undefined;
    if (!steps) return change;
    const settled = { id: change.id, what: change.what, steps, gives: true };
    this.outside.keep(settled);
    return settled;
  }

  private drop(change: Change) {
    this.forget(change);
    this.leave(change, undefined);
  }

  private forget(change: Change) {
    for (const list of [this.past, this.future]) {
      const index = list.findIndex((known) => known.id === change.id);
      if (index >= 0) list.splice(index, 1);
    }
  }

  private leave(change: Change, outcome: Made | undefined) {
    this.pending = this.pending.filter((other) => other.id !== change.id);
    this.asked.delete(change.id);
    this.outside.forget(change);
    this.waiting.get(change.id)?.(outcome);
    this.waiting.delete(change.id);
  }

  private stands(): Standing {
    return {
      shown: this.pending.length > 0 ? { ...this.base, document: this.document() } : this.base,
      pending: this.pending.length,
      unanswered: this.unanswered,
      problem: this.problem,
      conflict: this.clashes ? this.pending[0]?.what : undefined,
      undoes: this.past.at(-1)?.what,
      redoes: this.future.at(-1)?.what,
    };
  }

  private tell() {
    this.standing = this.stands();
    this.listeners.forEach((listener) => listener());
    if (this.pending.length > 0 && !this.clashes && !this.unanswered) return;
    this.idle.splice(0).forEach((resolve) => resolve());
  }
}
