/** Values that were entered and are still being looked at. */
const going = new Set<Promise<unknown>>();

/** Lets others wait for a value that is being looked at. */
export function entering(value: Promise<unknown>) {
  going.add(value);
  void value.finally(() => going.delete(value));
}

/** Once every value entered has been taken or refused. */
export async function entered() {
  await Promise.allSettled(going);
}
