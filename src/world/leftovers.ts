import { randomBytes } from 'node:crypto';
import { lstat, mkdir, readdir, realpath, rename, rm, stat, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { exists, isMissing, isRunning, readTextIfThere, removeFile } from './files.ts';
import { isGone, parseIdentity, thisProcess } from './process-identity.ts';

/** A folder that this process made and has to remove. */
export type OwnFolder = { readonly folder: string; readonly remove: () => Promise<void> };

/** Names that only this program gives: nothing else is ever removed as a leftover. */
const ownName = /^bevelstone-[\w.-]*[0-9a-f]{16}$|\.[0-9a-f]{16}\.(?:tmp|old)$/;
const identityFile = 'process.json';
const hourMs = 3_600_000;

type AtWork = { readonly folder: Promise<string>; open: number };

const atWork = new Map<string, AtWork>();

/** Sixteen hexadecimal digits, for a name that is used only once. */
export function ownSuffix(): string {
  return randomBytes(8).toString('hex');
}

/**
 * Makes a folder below the system's temporary one. It is written down in the git folder first, so that a later command
 * removes it if this process is killed.
 * @param name tells people what it is for.
 * @returns the folder with all links resolved.
 * @throws TEMPORARY_MISSING
 */
export async function makeOwnFolder(commonFolder: string, name: string): Promise<OwnFolder> {
  const folder = path.join(await temporaryTop(), `bevelstone-${name}-${ownSuffix()}`);
  const forget = await registerOwn(commonFolder, folder);
  try {
    await mkdir(folder, { mode: 0o700 });
  } catch (error) {
    await forget();
    throw noTemporaryFolder(error);
  }
  return {
    folder,
    remove: async () => {
      await rm(folder, { recursive: true, force: true, maxRetries: 3 });
      await forgetWorktrees(commonFolder, folder);
      await forget();
    },
  };
}

/**
 * Writes down that a path is this process's own until the returned function is called.
 * @param place has a name of this program (`ownSuffix`).
 */
export async function registerOwn(commonFolder: string, place: string): Promise<() => Promise<void>> {
  if (!ownName.test(path.basename(place))) throw new Error(`${place} is not recognisable as our own`);
  const { folder, forget } = await joinWork(commonFolder);
  const note = path.join(folder, `note-${ownSuffix()}`);
  await writeFile(note, place, { flag: 'wx' });
  return async () => {
    await rm(note, { force: true });
    await forget();
  };
}

/** How long after a note was written a lock can be the one that it speaks of. */
const lockWindowMs = 60_000;

/** Locks of git that only a git started by this process will hold, until they are forgotten. */
export type NotedLocks = { readonly removeLocks: () => Promise<void>; readonly forget: () => Promise<void> };

/**
 * Writes down which locks a git that is about to be started will take, so that they are removed if it is killed. A lock
 * that was there before, or appears much later, belongs to another process.
 * @param files absolute paths inside the git folder.
 */
export async function noteLocks(commonFolder: string, files: readonly string[]): Promise<NotedLocks> {
  const { folder, forget } = await joinWork(commonFolder);
  const note = path.join(folder, `locks-${ownSuffix()}`);
  await writeFile(note, files.join('\n'), { flag: 'wx' });
  return {
    removeLocks: () => removeNotedLocks(commonFolder, note),
    forget: async () => {
      await rm(note, { force: true });
      await forget();
    },
  };
}

async function removeNotedLocks(commonFolder: string, note: string): Promise<void> {
  const files = ((await readTextIfThere(note)) ?? '').split('\n');
  for (const file of files.filter((file) => file.startsWith(commonFolder + path.sep) && file.endsWith('.lock'))) {
    const lock = await stat(file).catch(() => null);
    const noted = await ifThere(stat(note));
    const age = lock === null || noted === null ? -1 : lock.mtimeMs - noted.mtimeMs;
    if (age >= 0 && age < lockWindowMs) await rm(file, { force: true });
  }
}

/** A place inside the git folder for one small file of this process, such as an index. */
export async function ownFile(
  commonFolder: string,
  name: string,
): Promise<{ readonly file: string; readonly remove: () => Promise<void> }> {
  const { folder, forget } = await joinWork(commonFolder);
  const file = path.join(folder, `${name}-${ownSuffix()}`);
  const remove = async () => {
    try {
      await removeFile(file);
      await removeFile(`${file}.lock`);
    } finally {
      await forget();
    }
  };
  return { file, remove };
}

/** Removes what processes that are certainly gone have left: folders, worktrees, index files. */
export async function sweepLeftovers(commonFolder: string): Promise<void> {
  const top = topOf(commonFolder);
  for (const name of await namesIn(top)) {
    const folder = path.join(top, name);
    const text = await readTextIfThere(path.join(folder, identityFile));
    const identity = text === null ? null : parseIdentity(text);
    // Without a description it was killed before it noted anything; one that is just being made is left alone.
    const isLeft =
      identity === null ? !isRunning(Number.parseInt(name, 10)) || (await isOlderThanHour(folder)) : isGone(identity);
    if (isLeft) await sweepOne(commonFolder, folder);
  }
  await sweepLockFiles(path.join(commonFolder, 'bevelstone', 'lock'));
}

async function sweepOne(commonFolder: string, folder: string): Promise<void> {
  for (const name of (await namesIn(folder)).filter((name) => name.startsWith('note-'))) {
    const place = (await readTextIfThere(path.join(folder, name))) ?? '';
    if (path.isAbsolute(place) && ownName.test(path.basename(place))) await removeOrRestore(commonFolder, place);
  }
  for (const name of (await namesIn(folder)).filter((name) => name.startsWith('locks-')))
    await removeNotedLocks(commonFolder, path.join(folder, name));
  await rm(folder, { recursive: true, force: true });
}

/** A folder that was moved aside for a new one goes back where the new one never arrived. */
async function removeOrRestore(commonFolder: string, place: string): Promise<void> {
  if (!(await isOwnFolder(place))) return;
  const final = place.replace(/\.[0-9a-f]{16}\.old$/, '');
  if (final !== place && !(await exists(final))) {
    await ifThere(rename(place, final));
    return;
  }
  await rm(place, { recursive: true, force: true, maxRetries: 3 });
  await forgetWorktrees(commonFolder, place);
}

/**
 * git keeps a worktree that was just being made locked, so pruning would pass it over (git-worktree(1)). One whose git was
 * killed before it wrote where the worktree lies is known by its name.
 */
async function forgetWorktrees(commonFolder: string, removed: string): Promise<void> {
  const list = path.join(commonFolder, 'worktrees');
  const own = worktreeName(removed);
  for (const name of await namesIn(list)) {
    const target = (await readTextIfThere(path.join(list, name, 'gitdir')))?.trim() ?? '';
    if (name === own || target.startsWith(removed + path.sep))
      await rm(path.join(list, name), { recursive: true, force: true });
  }
}

/** What a worktree inside an own folder is called, there and in git's list: no other one has this name. */
export function worktreeName(ownFolder: string): string {
  return `checkout-${path.basename(ownFolder).slice(-16)}`;
}

/** A process that died while it took the lock leaves a description of itself. */
async function sweepLockFiles(folder: string): Promise<void> {
  for (const name of await namesIn(folder)) {
    const pid = /^lock-(\d+)-[0-9a-f]{12}\.tmp$/.exec(name)?.[1];
    if (pid === undefined) continue;
    const file = path.join(folder, name);
    const identity = parseIdentity((await readTextIfThere(file)) ?? '');
    // It may have died before it wrote a word.
    if (identity === null ? !isRunning(Number(pid)) : isGone(identity)) await rm(file, { force: true });
  }
}

async function isOwnFolder(place: string): Promise<boolean> {
  const found = await ifThere(lstat(place));
  return found?.isDirectory() === true && found.uid === (process.getuid?.() ?? found.uid);
}

async function joinWork(commonFolder: string): Promise<{ folder: string; forget: () => Promise<void> }> {
  const known = atWork.get(commonFolder);
  const own = known ?? { folder: startWork(commonFolder), open: 0 };
  atWork.set(commonFolder, own);
  own.open++;
  const folder = await own.folder;
  const forget = async () => {
    own.open--;
    if (own.open > 0 || atWork.get(commonFolder) !== own) return;
    atWork.delete(commonFolder);
    const remove = () => rm(folder, { recursive: true, force: true });
    // Not every command comes by here again, so one failure of the disk must not leave it.
    await remove().catch(remove);
  };
  return { folder, forget };
}

async function startWork(commonFolder: string): Promise<string> {
  const folder = path.join(topOf(commonFolder), `${process.pid}-${ownSuffix()}`);
  try {
    await mkdir(folder, { recursive: true });
    await writeFile(path.join(folder, identityFile), JSON.stringify(thisProcess()), { flag: 'wx' });
    return folder;
  } catch (error) {
    atWork.delete(commonFolder);
    await rm(folder, { recursive: true, force: true }).catch(() => {});
    throw error;
  }
}

function topOf(commonFolder: string): string {
  return path.join(commonFolder, 'bevelstone', 'at-work');
}

/** Whoever owns it may remove it at any moment: then it is no leftover. */
async function isOlderThanHour(folder: string): Promise<boolean> {
  const found = await ifThere(stat(folder));
  return found !== null && Date.now() - found.mtimeMs > hourMs;
}

/** Null where the path is gone: others sweep the same folder at the same time. */
async function ifThere<Value>(work: Promise<Value>): Promise<Value | null> {
  try {
    return await work;
  } catch (error) {
    if (isMissing(error)) return null;
    throw error;
  }
}

async function namesIn(folder: string): Promise<string[]> {
  return (await ifThere(readdir(folder))) ?? [];
}

/** The system's temporary folder with all links resolved. @throws TEMPORARY_MISSING */
export async function temporaryTop(): Promise<string> {
  try {
    return await realpath(tmpdir());
  } catch (error) {
    throw noTemporaryFolder(error);
  }
}

function noTemporaryFolder(error: unknown): unknown {
  const { code, message } = error as NodeJS.ErrnoException;
  if (!['ENOENT', 'ENOTDIR', 'EACCES', 'EPERM', 'EROFS'].includes(code ?? '')) return error;
  return new BevelstoneError('TEMPORARY_MISSING', {
    message: `cannot create a temporary folder in ${tmpdir()}`,
    why: message,
    fix: 'Set TMPDIR to an existing, writable folder',
    where: { file: tmpdir() },
    cause: error,
  });
}
