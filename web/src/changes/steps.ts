import type { Supply } from "../api/client";

export type Json = null | boolean | number | string | Json[] | { [name: string]: Json | undefined };

/**
 * One place of a document that becomes different: fields by their names, entries of lists by what they are called. Nothing
 * before or after means that it was not there, or is there no longer.
 */
export interface Step {
  at: string[];
  was?: Json;
  now?: Json;
  /** The entry an entry of a list stands behind; none for the first. */
  behind?: string;
}

/** What an entry of a list is called, whatever comes before it. */
function called(entry: Json): string | undefined {
  if (entry === null || typeof entry !== "object" || Array.isArray(entry)) return undefined;
  const name = entry.id ?? entry.name;
  return typeof name === "string" ? name : undefined;
}

/** The names of a list's entries; nothing for a list whose entries have none of their own. */
function names(list: Json[]): string[] | undefined {
  const found = list.flatMap((entry) => called(entry) ?? []);
  return found.length === list.length && new Set(found).size === found.length ? found : undefined;
}

function isObject(value: Json | undefined): value is { [name: string]: Json | undefined } {
  return typeof value === "object" && value !== null && !Array.isArray(value);
}

/** Whether two values say the same; what is null is not there. */
export function same(a: Json | undefined, b: Json | undefined): boolean {
  if ((a ?? null) === (b ?? null)) return true;
  if (Array.isArray(a) && Array.isArray(b)) return a.length === b.length && a.every((x, k) => same(x, b[k]));
  if (!isObject(a) || !isObject(b)) return false;
  return [...new Set([...Object.keys(a), ...Object.keys(b)])].every((name) => same(a[name], b[name]));
}

function between(was: Json | undefined, now: Json | undefined, at: string[]): Step[] {
  if (same(was, now)) return [];
  if (isObject(was) && isObject(now)) {
    const fields = [...new Set([...Object.keys(was), ...Object.keys(now)])];
    return fields.flatMap((name) => between(was[name], now[name], [...at, name]));
  }
  if (Array.isArray(was) && Array.isArray(now)) {
    const [before, after] = [names(was), names(now)];
    const kept = (all: string[], of: string[]) => all.filter((name) => of.includes(name));
    if (before && after && same(kept(before, after), kept(after, before))) {
      const gone = before.flatMap((name, k) =>
        after.includes(name) ? [] : [{ at: [...at, name], was: was[k], behind: before[k - 1] }],
      );
      const others = after.flatMap((name, k) => {
        const known = before.indexOf(name);
        if (known >= 0) return between(was[known], now[k], [...at, name]);
        return [{ at: [...at, name], now: now[k], behind: after[k - 1] }];
      });
      // From the last on, so that those that come back find what they stood behind.
      return [...gone.reverse(), ...others];
    }
  }
  return [{ at, was, now }];
}

/** What makes one document of another. */
export function stepsBetween(before: Supply, after: Supply): Step[] {
  return between(before as unknown as Json, after as unknown as Json, []);
}

/** The steps back. */
export function reversed(steps: Step[]): Step[] {
  return steps.map(({ was, now, ...place }) => ({ ...place, was: now, now: was })).reverse();
}

/** What stands at a place. */
function at(node: Json | undefined, path: string[]): Json | undefined {
  return path.reduce<Json | undefined>((found, name) => {
    if (Array.isArray(found)) return found.find((entry) => called(entry) === name);
    return isObject(found) ? found[name] : undefined;
  }, node);
}

/** The same with something else at a place; nothing where there is no such place. */
function put(node: Json | undefined, path: string[], step: Step): Json | undefined {
  const [name, ...rest] = path;
  if (name === undefined) return step.now;
  if (Array.isArray(node)) {
    const index = node.findIndex((entry) => called(entry) === name);
    if (index < 0) {
      if (rest.length > 0 || step.now === undefined) return node;
      const before = node.findIndex((entry) => called(entry) === step.behind);
      const place = step.behind === undefined ? 0 : before < 0 ? node.length : before + 1;
      return [...node.slice(0, place), step.now, ...node.slice(place)];
    }
    const next = put(node[index], rest, step);
    return [...node.slice(0, index), ...(next === undefined ? [] : [next]), ...node.slice(index + 1)];
  }
  if (!isObject(node)) return node;
  const { [name]: child, ...others } = node;
  const next = put(child, rest, step);
  return next === undefined ? others : { ...node, [name]: next };
}

/** Whether a place can be changed as meant: it stands there as it was, or as it shall be. */
function fits(document: Json, { at: path, was, now }: Step): boolean {
  const found = at(document, path);
  // What it belongs to may be gone.
  const there = path.length < 2 || at(document, path.slice(0, -1)) !== undefined;
  return there ? same(found, was) || same(found, now) : now === undefined;
}

/**
 * A document with steps made, and those that did not fit because something else was done there. These are left out, or made
 * all the same if `over` says so.
 */
export function made(document: Supply, steps: Step[], over = false): { document: Supply; unfit: Step[] } {
  const unfit: Step[] = [];
  const result = steps.reduce<Json>(
    (whole, step) => {
      if (fits(whole, step) || over) return put(whole, step.at, step) ?? whole;
      unfit.push(step);
      return whole;
    },
    document as unknown as Json,
  );
  return { document: result as unknown as Supply, unfit };
}
