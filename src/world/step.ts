import { once } from 'node:events';
import { createWriteStream } from 'node:fs';
import { mkdir } from 'node:fs/promises';
import path from 'node:path';
import { finished } from 'node:stream/promises';
import { execa } from 'execa';
import { type Confinement, confinedCommand } from './confinement.ts';

/** One command line of the maintainer's. */
export type Step = {
  readonly run: string;
  readonly folder: string;
  /** The whole environment; nothing else is inherited. */
  readonly env: Readonly<Record<string, string>>;
  /** Where all output goes. */
  readonly log: string;
  readonly signal: AbortSignal;
  /** Most time it may take. */
  readonly timeoutMs: number;
  /** What it reads on standard input; nothing by default. */
  readonly input?: string | null;
  /** What it is kept from; nothing by default. */
  readonly confinement?: Confinement;
};

/** How it ended, with the last lines of output. */
export type StepEnd = {
  readonly exitCode: number | null;
  /** Whether it was stopped because its time was over. */
  readonly isLate: boolean;
  readonly tail: readonly string[];
};

const unconfined: Confinement = { offline: false, writable: null };
const tailLines = 20;
const tailBytes = 16 * 1024;

/** Runs a command line in the shell with its output in a log file, and with umask 022. */
export async function runStep(step: Step): Promise<StepEnd> {
  const { run, folder, env, log, signal, timeoutMs, input = null, confinement = unconfined } = step;
  await mkdir(path.dirname(log), { recursive: true });
  // A signal that came before is not given again.
  signal.throwIfAborted();
  const file = createWriteStream(log, { flags: 'w' });
  let tail = '';
  // A umask belongs to the whole process, where other work goes on at the same time; so a shell sets it for the step alone.
  const [program, args] = confinedCommand(run, folder, confinement);
  const child = execa(program, args, {
    cwd: folder,
    env,
    extendEnv: false,
    ...(input === null ? { stdin: 'ignore' as const } : { input }),
    all: true,
    buffer: false,
    reject: false,
    // A group of its own, so that what the shell started can be stopped with it.
    detached: true,
    cleanup: false,
  });
  const stop = () => stopGroup(child.pid);
  signal.addEventListener('abort', stop, { once: true });
  let isLate = false;
  const timer = setTimeout(() => {
    isLate = true;
    stop();
  }, timeoutMs);
  for await (const chunk of child.all as AsyncIterable<Buffer>) {
    if (!file.write(chunk)) await once(file, 'drain');
    tail = (tail + chunk.toString('utf8')).slice(-tailBytes);
  }
  const { exitCode } = await child;
  clearTimeout(timer);
  signal.removeEventListener('abort', stop);
  file.end();
  await finished(file);
  signal.throwIfAborted();
  return { exitCode: exitCode ?? null, isLate, tail: tail.trimEnd().split('\n').slice(-tailLines) };
}

/** Asks a process group to end, and ends it three seconds later. */
function stopGroup(pid: number | undefined): void {
  if (pid === undefined) return;
  const send = (name: NodeJS.Signals) => {
    try {
      process.kill(-pid, name);
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'ESRCH') throw error;
    }
  };
  send('SIGTERM');
  setTimeout(() => send('SIGKILL'), 3000).unref();
}
