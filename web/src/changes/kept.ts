import type { Change } from "./queue";

/** Each change has a place of its own, so that windows of one supply do not write over each other's. */
const places = (supply: string) => `mellow-coil change of ${supply} `;

/** The changes of a supply that are not stored yet, in their order, as the browser keeps them over a reload. One that another window
 * is about to send does no harm: the server makes it once. */
export function load(supply: string): Change[] {
  try {
    const kept = Object.keys(localStorage).filter((key) => key.startsWith(places(supply)));
    return kept.sort().map((key) => JSON.parse(localStorage.getItem(key) ?? "") as Change);
  } catch {
    return [];
  }
}

let last = 0;

const placesOf = (supply: string, { id }: Change) =>
  Object.keys(localStorage).filter((key) => key.startsWith(places(supply)) && key.endsWith(id));

/** Keeps a change behind those there are, or in its place if it is kept already; a browser that keeps nothing for us is no reason
 * not to go on. */
export function keep(supply: string, change: Change) {
  last = Math.max(last + 1, Date.now());
  try {
    const [place = `${places(supply)}${last} ${change.id}`] = placesOf(supply, change);
    localStorage.setItem(place, JSON.stringify(change));
  } catch {
    // It is still sent from here.
  }
}

/** Forgets a change that is stored, or cannot be. */
export function forget(supply: string, change: Change) {
  try {
    placesOf(supply, change).forEach((key) => localStorage.removeItem(key));
  } catch {
    // Sent again, it is made once.
  }
}
