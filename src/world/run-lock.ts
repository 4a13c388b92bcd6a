import { randomBytes } from 'node:crypto';
import { link, mkdir, readdir, rename, rm, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { BevelstoneError, isBevelstoneError } from '../core/error/bevelstone-error.ts';
import { isMissing, readTextIfThere } from './files.ts';
import { lockNumber, takeNumberedLock } from './numbered-lock.ts';
import { type ProcessIdentity, thisProcess } from './process-identity.ts';
import { systemFault } from './system-fault.ts';

/**
 * Takes the lock of a workspace (`takeNumberedLock`).
 * @returns what releases it.
 * @throws RUN_BUSY, LOCK_FAILED
 */
export async function takeLock(folder: string): Promise<() => Promise<void>> {
  const mine = path.join(folder, `lock-${process.pid}-${randomBytes(6).toString('hex')}.tmp`);
  try {
    await mkdir(folder, { recursive: true });
    await writeFile(mine, JSON.stringify(thisProcess()), { flag: 'wx' });
    const answer = await takeNumberedLock({
      numbers: async () => (await readdir(folder)).flatMap((name) => lockNumber(name) ?? []),
      create: (number) => isLinked(mine, lockFile(folder, number)),
      read: (number) => readTextIfThere(lockFile(folder, number)),
      write: (number, text) => replaceText(lockFile(folder, number), text),
      remove: (number) => rm(lockFile(folder, number), { force: true }),
    });
    if (answer.type === 'busy') throw busy(lockFile(folder, answer.number), answer.holder);
    return answer.release;
  } catch (error) {
    throw lockFailed(error, folder);
  } finally {
    await rm(mine, { force: true }).catch(() => {});
  }
}

function lockFile(folder: string, number: number): string {
  return path.join(folder, `lock.${number}`);
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

async function replaceText(file: string, text: string): Promise<void> {
  const fresh = path.join(path.dirname(file), `lock-${process.pid}-${randomBytes(6).toString('hex')}.tmp`);
  try {
    await writeFile(fresh, text, { flag: 'wx' });
    await rename(fresh, file);
  } catch (error) {
    // On a full disk the file goes: the process that comes next would otherwise wait for this one to end.
    await rm(fresh, { force: true }).catch(() => {});
    await rm(file, { force: true }).catch(() => {});
    if (!isMissing(error) && (error as NodeJS.ErrnoException).code === undefined) throw error;
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
