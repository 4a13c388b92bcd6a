import { createServer } from 'node:net';
import { request } from 'undici';
import { poll } from './poll.ts';
import { runStep, type Step, type StepEnd } from './step.ts';

/** A command that serves until it is stopped. */
export type RunningServer = {
  /** Null while it runs; how it ended where it did so by itself. */
  readonly ended: () => StepEnd | null;
  /** Ends it and all that it started. */
  readonly stop: () => Promise<void>;
};

/** A port of the loopback interface that nothing listens at just now. */
export async function freePort(): Promise<number> {
  const server = createServer();
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(0, '127.0.0.1', resolve);
  });
  const address = server.address();
  await new Promise((resolve) => server.close(resolve));
  return typeof address === 'object' && address !== null ? address.port : 0;
}

/** Starts a command that goes on in the background. */
export function startServer(step: Step): RunningServer {
  const stopping = new AbortController();
  let end: StepEnd | null = null;
  const running = runStep({ ...step, signal: AbortSignal.any([step.signal, stopping.signal]) }).then(
    (ended) => {
      end = ended;
    },
    () => {
      // It was stopped: nothing is asked of it any more.
    },
  );
  return {
    ended: () => end,
    stop: async () => {
      stopping.abort();
      await running;
    },
  };
}

/** Waits until an address answers with a status below 400. @returns whether it did in time, and before its server ended. */
export async function waitForAnswer(
  url: string,
  {
    hasEnded,
    withinMs,
    signal,
  }: { readonly hasEnded: () => boolean; readonly withinMs: number; readonly signal: AbortSignal },
): Promise<boolean> {
  const ask = async () => {
    try {
      const { statusCode, body } = await request(url, { signal });
      await body.dump();
      return statusCode < 400;
    } catch {
      signal.throwIfAborted();
      return false;
    }
  };
  return poll({ withinMs, signal, ask, isDone: (isUp) => isUp || hasEnded(), onWait: () => {} });
}
