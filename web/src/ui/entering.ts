/** Values that were entered and are still being looked at: whether each was taken. */
const going = new Set<Promise<boolean>>();

/** Lets others wait for a value that is being looked at. */
export function entering(taken: Promise<boolean>) {
  going.add(taken);
  // Who waits begins to within the same click.
  void taken.finally(() => setTimeout(() => going.delete(taken)));
}

/** Whether every value entered was taken, once that is known. */
export async function entered(): Promise<boolean> {
  return (await Promise.all(going)).every(Boolean);
}
