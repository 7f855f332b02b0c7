/**
 * Runs `act` on every item, at most `width` at once, taking items as there is room.
 * The first failure is thrown after those under way have ended; no further items are begun.
 */
export async function inParallel<T>(items: Iterable<T> | AsyncIterable<T>, width: number, act: (item: T) => Promise<void>): Promise<void> {
  const running = new Set<Promise<void>>();
  let failure: { error: unknown } | undefined;
  for await (const item of items) {
    if (failure) break;
    const task = act(item)
      .catch((error: unknown) => {
        failure ??= { error };
      })
      .finally(() => running.delete(task));
    running.add(task);
    if (running.size >= width) await Promise.race(running);
  }
  await Promise.all(running);
  if (failure) throw failure.error;
}
