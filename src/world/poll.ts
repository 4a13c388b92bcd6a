import { setTimeout as sleep } from 'node:timers/promises';

const firstPauseMs = 500;
const maxPauseMs = 15_000;

/** How long something is asked about. */
export type Polling<Value> = {
  readonly withinMs: number;
  readonly signal: AbortSignal;
  /** @param leftMs until the time is over; 0 when it is. */
  readonly ask: (leftMs: number) => Promise<Value>;
  readonly isDone: (value: Value) => boolean;
  /** Gets each answer that is waited upon. */
  readonly onWait: (value: Value) => void;
};

/**
 * Asks, at growing intervals, until the answer is the wanted one or the time is over.
 * @returns the last answer. @throws what `ask` throws, and the signal's reason.
 */
export async function poll<Value>({ withinMs, signal, ask, isDone, onWait }: Polling<Value>): Promise<Value> {
  const left = countDown(withinMs);
  for (let pauseMs = firstPauseMs; ; pauseMs = Math.min(pauseMs * 2, maxPauseMs)) {
    const value = await ask(left());
    if (isDone(value) || left() < pauseMs) return value;
    onWait(value);
    await pauseFor(pauseMs, signal);
  }
}

/** @returns how many milliseconds are left of a time that begins now; 0 when it is over. */
export function countDown(withinMs: number): () => number {
  const elapsed = startStopwatch();
  return () => Math.max(0, withinMs - elapsed());
}

/** @returns how many milliseconds have gone by, whatever happens to the clock. */
export function startStopwatch(): () => number {
  const since = performance.now();
  return () => performance.now() - since;
}

/** Waits. @throws the signal's reason when it comes first. */
export async function pauseFor(ms: number, signal?: AbortSignal): Promise<void> {
  await sleep(ms, undefined, signal === undefined ? {} : { signal });
}

/** Does something again and again; never keeps the program alive. @returns what stops it. */
export function every(ms: number, work: () => void): () => void {
  const timer = setInterval(work, ms).unref();
  return () => clearInterval(timer);
}
