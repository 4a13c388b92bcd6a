import { setImmediate as nextTurn } from 'node:timers/promises';

/** A person who presses a key does not notice so short a wait. */
const busyMs = 50;

/**
 * For work that never waits for anything by itself: lets signals and timers have a turn now and then.
 * @returns a function to be called often; it gives a promise when it is time for a pause, which fails when the signal came.
 */
export function makePause(signal: AbortSignal): () => Promise<void> | undefined {
  let since = Date.now();
  return () => {
    if (Date.now() - since < busyMs) return undefined;
    since = Date.now();
    return nextTurn().then(() => {
      since = Date.now();
      signal.throwIfAborted();
    });
  };
}
