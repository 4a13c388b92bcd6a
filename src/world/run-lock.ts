import { mkdir, open, readFile, rm } from 'node:fs/promises';
import { hostname } from 'node:os';
import path from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { isMissing, readTextIfThere } from './files.ts';

type Holder = {
  readonly host: string;
  /** Which start of the machine; null where the system does not tell. */
  readonly boot: string | null;
  readonly pid: number;
  /** When the process was started, as the system counts; null where it does not tell. */
  readonly started: string | null;
};

/**
 * Takes the lock of a workspace. One that a killed process has left is taken over only when this same start of this machine
 * says that the process is gone.
 * @returns what gives it back.
 * @throws RUN_BUSY
 */
export async function takeLock(folder: string): Promise<() => Promise<void>> {
  const file = path.join(folder, 'lock');
  await mkdir(folder, { recursive: true });
  for (let attempt = 1; ; attempt++) {
    try {
      const handle = await open(file, 'wx');
      try {
        await handle.writeFile(JSON.stringify(await thisProcess()));
        await handle.sync();
      } finally {
        await handle.close();
      }
      return () => rm(file, { force: true });
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
    }
    let holder = await readHolder(file);
    if (holder === null) {
      // An empty lock may belong to a process that is about to fill it.
      await sleep(200);
      holder = await readHolder(file);
    }
    if (attempt > 3 || (holder !== null && !(await isGone(holder)))) throw busy(file, holder);
    await rm(file, { force: true });
  }
}

async function thisProcess(): Promise<Holder> {
  return { host: hostname(), boot: await bootId(), pid: process.pid, started: await startOf(process.pid) };
}

/** Null when it was killed while it wrote the lock. */
async function readHolder(file: string): Promise<Holder | null> {
  try {
    return JSON.parse(await readFile(file, 'utf8')) as Holder;
  } catch (error) {
    if (isMissing(error) || error instanceof SyntaxError) return null;
    throw error;
  }
}

async function isGone({ host, boot, pid, started }: Holder): Promise<boolean> {
  if (host !== hostname() || boot !== (await bootId())) return false;
  try {
    process.kill(pid, 0);
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'ESRCH';
  }
  return (await startOf(pid)) !== started;
}

async function bootId(): Promise<string | null> {
  return (await readTextIfThere('/proc/sys/kernel/random/boot_id'))?.trim() ?? null;
}

/** Field 22 of /proc/PID/stat; the name before it may hold anything. A process that has ended and waits to be noticed is gone. */
async function startOf(pid: number): Promise<string | null> {
  const text = await readTextIfThere(`/proc/${pid}/stat`);
  const [state, ...fields] = text?.slice(text.lastIndexOf(')') + 2).split(' ') ?? [];
  return state === 'Z' ? 'ended' : (fields[18] ?? null);
}

function busy(file: string, holder: Holder | null): BevelstoneError {
  return new BevelstoneError('RUN_BUSY', {
    message: 'Another release of this workspace is at work',
    why: holder === null ? 'its lock is there' : `process ${holder.pid} on ${holder.host} holds the lock`,
    fix: `Wait for it. If it was on another machine or before a restart and is surely gone, delete ${file}`,
    where: { file },
  });
}
