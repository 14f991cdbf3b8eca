import type { Change } from "./queue";

const place = (supply: string) => `mellow-coil changes of ${supply}`;

/** The changes of a supply that are not stored yet, as the browser keeps them over a reload. */
export function load(supply: string): Change[] {
  try {
    return JSON.parse(localStorage.getItem(place(supply)) ?? "[]") as Change[];
  } catch {
    return [];
  }
}

/** Keeps them; a browser that keeps nothing for us is no reason not to go on. */
export function keep(supply: string, changes: Change[]) {
  try {
    if (changes.length === 0) localStorage.removeItem(place(supply));
    else localStorage.setItem(place(supply), JSON.stringify(changes));
  } catch {
    // They are still sent from here.
  }
}
