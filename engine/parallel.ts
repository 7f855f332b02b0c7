/**
 * Runs `act` on every item, at most `width` at once, taking items as there is room.
 * The first failure is thrown after those under way have ended; no further items are begun.
 */
export async function inParallel<T>(items: Iterable<T> | AsyncIterable<T>, width: number, act: (item: T) => Promise<void>): Promise<void> {
  const iterator = Symbol.asyncIterator in items ? items[Symbol.asyncIterator]() : items[Symbol.iterator]();
  let ended = false;
  let failure: { error: unknown } | undefined;
  const lane = async (): Promise<void> => {
    try {
      while (!ended) {
        const next = await iterator.next();
        if (next.done) ended = true;
        else if (!ended) await act(next.value);
      }
    } catch (error) {
      failure ??= { error };
      ended = true;
    }
  };
  await Promise.all(Array.from({ length: width }, lane));
  if (!failure) return;
  await iterator.return?.();
  throw failure.error;
}
