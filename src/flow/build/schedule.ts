/** Tasks by index, each with the indexes of those that must be done before it. */
export type Schedule = {
  readonly order: readonly number[];
  readonly needs: (index: number) => readonly number[];
  /** Most at work at the same time. */
  readonly jobs: number;
};

/**
 * Runs tasks in their order, several at once, each after what it needs. When one fails no other is begun, those at work are
 * asked to stop, and its error is thrown once they have.
 * @param work gets a signal that is given when another task failed.
 */
export async function runInOrder<Done>(
  { order, needs, jobs }: Schedule,
  work: (index: number, signal: AbortSignal) => Promise<Done>,
): Promise<Map<number, Done>> {
  const done = new Map<number, Done>();
  const waiting = [...order];
  const running = new Set<Promise<void>>();
  const abort = new AbortController();
  let failure: { error: unknown } | null = null;
  const isReady = (index: number) => needs(index).every((need) => done.has(need) || !order.includes(need));
  while (waiting.length > 0 || running.size > 0) {
    const next = failure === null && running.size < jobs ? waiting.findIndex(isReady) : -1;
    if (next === -1) {
      if (running.size === 0) break;
      await Promise.race(running);
      continue;
    }
    const [index = -1] = waiting.splice(next, 1);
    const task = work(index, abort.signal)
      .then(
        (result) => void done.set(index, result),
        (error: unknown) => {
          failure ??= { error };
          abort.abort();
        },
      )
      .finally(() => running.delete(task));
    running.add(task);
  }
  if (failure !== null) throw (failure as { error: unknown }).error;
  return done;
}
