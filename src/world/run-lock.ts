import { randomBytes } from 'node:crypto';
import { link, mkdir, readdir, readFile, rename, rm, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { BevelstoneError, isBevelstoneError } from '../core/error/bevelstone-error.ts';
import { isMissing } from './files.ts';
import { isGone, type ProcessIdentity, parseIdentity, thisProcess } from './process-identity.ts';
import { systemFault } from './system-fault.ts';

const released = 'released\n';
/** Old files that stay, so that a process which listed the folder a moment ago never finds its number free again. */
const keptFiles = 8;

/**
 * Takes the lock of a workspace. The lock is the file `lock.N` with the highest N: the process that creates the next number holds it,
 * and creating a file with a link succeeds for one process only. So a lock left by a killed process is taken over by
 * exactly one of those that find it. It is taken over only when that process is certainly gone.
 * @returns what releases it.
 * @throws RUN_BUSY, LOCK_FAILED
 */
export async function takeLock(folder: string): Promise<() => Promise<void>> {
  const mine = path.join(folder, `lock-${process.pid}-${randomBytes(6).toString('hex')}.tmp`);
  try {
    await mkdir(folder, { recursive: true });
    await writeFile(mine, JSON.stringify(thisProcess()), { flag: 'wx' });
    for (;;) {
      const last = await highest(folder);
      const holder = last === null ? 'free' : await readHolder(lockFile(folder, last));
      // Removed meanwhile: another process took a higher number.
      if (holder === 'missing') continue;
      if (last !== null && holder !== 'free' && !isGone(holder)) throw busy(lockFile(folder, last), holder);
      const next = (last ?? 0) + 1;
      if (!(await isLinked(mine, lockFile(folder, next)))) continue;
      // Whoever was asleep since it listed the folder may have got a number that was used and cleared away before.
      if ((await highest(folder)) !== next) {
        await rm(lockFile(folder, next), { force: true });
        continue;
      }
      await clearBelow(folder, next - keptFiles);
      return () => release(folder, next);
    }
  } catch (error) {
    throw lockFailed(error, folder);
  } finally {
    await rm(mine, { force: true }).catch(() => {});
  }
}

function lockFile(folder: string, number: number): string {
  return path.join(folder, `lock.${number}`);
}

async function numbers(folder: string): Promise<number[]> {
  return (await readdir(folder)).flatMap((name) => {
    const found = /^lock\.([1-9]\d{0,14})$/.exec(name)?.[1];
    return found === undefined ? [] : [Number(found)];
  });
}

async function highest(folder: string): Promise<number | null> {
  const found = await numbers(folder);
  return found.length === 0 ? null : Math.max(...found);
}

async function isLinked(from: string, to: string): Promise<boolean> {
  try {
    await link(from, to);
    return true;
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'EEXIST') return false;
    throw error;
  }
}

/** The file stays, with another text: its number must never be free again. */
async function release(folder: string, number: number): Promise<void> {
  const text = path.join(folder, `lock-${process.pid}-${randomBytes(6).toString('hex')}.tmp`);
  try {
    await writeFile(text, released, { flag: 'wx' });
    await rename(text, lockFile(folder, number));
  } catch (error) {
    // On a full disk the file goes: the process that comes next would otherwise wait for this one to end.
    await rm(text, { force: true }).catch(() => {});
    await rm(lockFile(folder, number), { force: true }).catch(() => {});
    if (!isMissing(error) && (error as NodeJS.ErrnoException).code === undefined) throw error;
  }
}

async function clearBelow(folder: string, number: number): Promise<void> {
  for (const index of (await numbers(folder)).filter((found) => found < number))
    await rm(lockFile(folder, index), { force: true });
}

/** A lock is linked when it is complete, so one that cannot be read lost its text with the power. */
async function readHolder(file: string): Promise<ProcessIdentity | 'free' | 'missing'> {
  try {
    const text = await readFile(file, 'utf8');
    return text === released ? 'free' : (parseIdentity(text) ?? 'free');
  } catch (error) {
    if (isMissing(error)) return 'missing';
    throw error;
  }
}

function busy(file: string, { pid, host }: ProcessIdentity): BevelstoneError {
  return new BevelstoneError('RUN_BUSY', {
    message: 'another release of this workspace is running',
    why: `process ${pid} on ${host} holds the lock`,
    fix: `Wait until it ends. If that machine or container no longer exists, delete ${file}`,
    where: { file },
  });
}

function lockFailed(error: unknown, folder: string): unknown {
  const { code, message } = error as NodeJS.ErrnoException;
  if (error instanceof BevelstoneError || code === undefined) return error;
  const fault = systemFault(error);
  if (isBevelstoneError(fault, 'DISK_FULL', 'DISK_FAULT')) return fault;
  return new BevelstoneError('LOCK_FAILED', {
    message: `cannot take the lock in ${folder}`,
    why: message,
    fix: 'Make the git folder writable for this user, then run the same command again; nothing was changed',
    where: { file: folder },
    cause: error,
  });
}
