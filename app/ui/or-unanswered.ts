/** A request that never reached the server fails as a TypeError in every browser. */
export const isUnanswered = (error: unknown): boolean => error instanceof TypeError && /fetch|network|load failed/i.test(error.message);

/** Runs an action on the server; where that does not answer, says so beside the form, which keeps what was typed. */
export async function orUnanswered<T>(act: () => Promise<T>): Promise<T | { error: string }> {
  try {
    return await act();
  } catch (error) {
    if (!isUnanswered(error)) throw error;
    return { error: "The server does not answer, so nothing was done. What you typed is still here; try again when it is back." };
  }
}
