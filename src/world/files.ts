import { randomBytes } from 'node:crypto';
import { constants, createWriteStream, readFileSync, statSync } from 'node:fs';
import {
  access,
  chmod,
  copyFile,
  cp,
  mkdir,
  mkdtemp,
  open,
  readdir,
  readFile,
  realpath,
  rename,
  rm,
  stat,
  symlink,
  unlink,
  writeFile,
} from 'node:fs/promises';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { pipeline } from 'node:stream/promises';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { systemFault } from './system-fault.ts';

/** Text of a file. */
export async function readText(file: string): Promise<string> {
  return readFile(file, 'utf8');
}

/** The first bytes of a file as text; null when there is no such file. */
export async function readHead(file: string, bytes: number): Promise<string | null> {
  try {
    const handle = await open(file);
    try {
      const { buffer, bytesRead } = await handle.read(Buffer.alloc(bytes), 0, bytes, 0);
      return buffer.toString('utf8', 0, bytesRead);
    } finally {
      await handle.close();
    }
  } catch (error) {
    if (isMissing(error) || ['EISDIR', 'EACCES'].includes((error as NodeJS.ErrnoException).code ?? '')) return null;
    throw error;
  }
}

/** Bytes of a file that is small. */
export async function readSmallFile(file: string): Promise<Uint8Array> {
  return readFile(file);
}

/** What a path is, and when it was last changed. */
export async function describePlace(place: string): Promise<{ readonly isFolder: boolean; readonly changed: Date }> {
  const found = await stat(place);
  return { isFolder: found.isDirectory(), changed: found.mtime };
}

/** The path with all links on it followed. */
export async function realPath(place: string): Promise<string> {
  return realpath(place);
}

/** Copies a file over whatever is there. */
export async function copyOneFile(from: string, to: string): Promise<void> {
  await copyFile(from, to);
}

/** Copies a folder with all that is in it, its times kept. */
export async function copyFolder(from: string, to: string): Promise<void> {
  await cp(from, to, { recursive: true, preserveTimestamps: true });
}

/** Gives a folder another place, on whatever disk; what lies there goes. It is there whole or not at all. */
export async function moveFolder(from: string, to: string): Promise<void> {
  await rm(to, { recursive: true, force: true });
  await mkdir(path.dirname(to), { recursive: true });
  try {
    await rename(from, to);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EXDEV') throw error;
    const beside = `${to}.${process.pid}-${randomBytes(6).toString('hex')}.tmp`;
    try {
      await cp(from, beside, { recursive: true, preserveTimestamps: true, verbatimSymlinks: true });
      await rename(beside, to);
    } finally {
      await rm(beside, { recursive: true, force: true });
    }
    await rm(from, { recursive: true, force: true });
  }
}

/** Makes a symbolic link. */
export async function makeLink(target: string, place: string): Promise<void> {
  await symlink(target, place);
}

/** Writes what comes into a file. When it fails, the file is closed and can be removed. */
export async function writeStream(
  file: string,
  chunks: AsyncIterable<Uint8Array>,
  options: { readonly flags?: 'w' | 'wx' | 'a'; readonly flush?: boolean; readonly highWaterMark?: number } = {},
): Promise<void> {
  const output = createWriteStream(file, options);
  const closed = new Promise<void>((done) => output.once('close', () => done()));
  try {
    await pipeline(chunks, output);
  } catch (error) {
    // Before that the system may still be about to make the file.
    await closed;
    throw error;
  }
}

/** A new folder of a name of its own, below that of the system for temporary files. */
export async function makeTemporaryFolder(start: string): Promise<string> {
  return realpath(await mkdtemp(path.join(tmpdir(), start)));
}

/** Text of a file, or null when there is none. */
export async function readTextIfThere(file: string): Promise<string | null> {
  try {
    return await readFile(file, 'utf8');
  } catch (error) {
    if (isMissing(error)) return null;
    throw error;
  }
}

/** The same in step: for many small files, each of which would wait its turn in the thread pool. */
export function readTextNow(file: string): string | null {
  return statSync(file, { throwIfNoEntry: false }) === undefined ? null : readFileSync(file, 'utf8');
}

/** Bytes of a file, or null when there is none. */
export async function readBytesIfThere(file: string): Promise<Uint8Array | null> {
  try {
    return await readFile(file);
  } catch (error) {
    if (isMissing(error)) return null;
    throw error;
  }
}

/** Removes a file; it need not be there. */
export async function removeFile(file: string): Promise<void> {
  try {
    await unlink(file);
  } catch (error) {
    if (!isMissing(error)) throw error;
  }
}

/** Removes a folder with all that is in it; it need not be there. */
export async function removeFolder(folder: string): Promise<void> {
  await rm(folder, { recursive: true, force: true });
}

/** Makes a folder, and those around it. @param mode of a folder that is made. */
export async function makeFolder(folder: string, mode = 0o777): Promise<void> {
  await mkdir(folder, { recursive: true, mode });
}

/** Paths of everything below a folder, relative to it, in no order. */
export async function namesBelow(folder: string): Promise<string[]> {
  return readdir(folder, { recursive: true });
}

/** Names in a folder, sorted; none when it is not there. */
export async function namesIn(folder: string): Promise<string[]> {
  try {
    return (await readdir(folder)).sort();
  } catch (error) {
    if (isMissing(error)) return [];
    throw error;
  }
}

/** What is in a folder, in no order. */
export async function listFolder(folder: string): Promise<{ readonly name: string; readonly isFolder: boolean }[]> {
  const entries = await readdir(folder, { withFileTypes: true });
  return entries.map((entry) => ({ name: entry.name, isFolder: entry.isDirectory() }));
}

/** Makes a folder and those above it that are missing, with the mode of umask 022 whatever the user's is. */
export async function makeUsualFolder(folder: string): Promise<void> {
  const first = await mkdir(folder, { recursive: true });
  if (first === undefined) return;
  for (let made = folder; made.length >= first.length; made = path.dirname(made)) await chmod(made, 0o755);
}

/** Whether a folder is there; false for a file. */
export async function isFolder(place: string): Promise<boolean> {
  try {
    return (await stat(place)).isDirectory();
  } catch (error) {
    if (isMissing(error)) return false;
    throw error;
  }
}

/** How many bytes a file has. */
export async function sizeOf(file: string): Promise<number> {
  return (await stat(file)).size;
}

/** Whether something is there. */
export async function exists(file: string): Promise<boolean> {
  try {
    await stat(file);
    return true;
  } catch (error) {
    if (isMissing(error)) return false;
    throw error;
  }
}

/** A name for a file of this process, until it gets its own. */
export function freshName(file: string): string {
  return `${file}.${process.pid}-${randomBytes(6).toString('hex')}.tmp`;
}

/**
 * Writes a file whole or not at all: temporary name beside it, flushed to disk, renamed. A long text may come in pieces.
 * @throws FILE_UNWRITABLE
 */
export async function writeWhole(
  file: string,
  content: string | Uint8Array | Iterable<string>,
  mode = 0o644,
): Promise<void> {
  const temporary = freshName(file);
  try {
    await mkdir(path.dirname(file), { recursive: true });
    await removeStale(file);
    const handle = await open(temporary, 'wx', mode);
    try {
      const pieces = typeof content === 'string' || content instanceof Uint8Array ? [content] : content;
      for (const piece of pieces) await handle.writeFile(piece);
      await handle.sync();
    } finally {
      await handle.close();
    }
    await rename(temporary, file);
  } catch (error) {
    await rm(temporary, { force: true }).catch(() => {});
    throw unwritable(error, file);
  }
}

/** Writes a file where it lies and does not wait for the disk: only in a folder that is thrown away. @throws FILE_UNWRITABLE */
export async function writeInPlace(file: string, content: string | Uint8Array): Promise<void> {
  try {
    await writeFile(file, content);
  } catch (error) {
    throw unwritable(error, file);
  }
}

/** Removes what killed processes have left of the same file, under the names that `freshName` gives. */
export async function removeStale(file: string): Promise<void> {
  const start = `${path.basename(file)}.`;
  for (const name of await readdir(path.dirname(file))) {
    const pid = name.startsWith(start) ? /^(\d+)-[0-9a-f]{12}\.tmp$/.exec(name.slice(start.length))?.[1] : undefined;
    if (pid !== undefined && !isRunning(Number(pid))) await rm(path.join(path.dirname(file), name), { force: true });
  }
}

/** Whether a process of this number runs on this machine. */
export function isRunning(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch (error) {
    return (error as NodeJS.ErrnoException).code !== 'ESRCH';
  }
}

/** Makes sure that the names in a folder are on the disk. */
export async function flushFolder(folder: string): Promise<void> {
  const handle = await open(folder, 'r');
  try {
    await handle.sync();
  } finally {
    await handle.close();
  }
}

/** The error for a file that cannot be read, when that is what the system says; null for anything else. */
export function unreadableFile(error: unknown, file: string): BevelstoneError | null {
  const { code } = error as NodeJS.ErrnoException;
  const why =
    code === 'EISDIR'
      ? 'it is a folder'
      : code === 'EACCES'
        ? 'permission is denied'
        : isMissing(error)
          ? 'there is no such file or folder'
          : null;
  if (why === null) return null;
  return new BevelstoneError('FILE_NOT_FOUND', {
    message: `${file} cannot be read`,
    why,
    fix: 'Check the path',
    where: { file },
    cause: error,
  });
}

const unwritableCodes: ReadonlySet<string> = new Set([
  'EACCES',
  'EPERM',
  'EROFS',
  'ENOTDIR',
  'EISDIR',
  'EEXIST',
  'ENAMETOOLONG',
]);

/** What the system says of a place that cannot be written, as an error of ours; anything else stays as it is. */
function unwritable(error: unknown, file: string): unknown {
  const { code, message } = error as NodeJS.ErrnoException;
  if (!unwritableCodes.has(code ?? '')) return systemFault(error) ?? error;
  return new BevelstoneError('FILE_UNWRITABLE', {
    message: `${file} cannot be written`,
    why: message,
    fix: 'Give a writable folder with free space',
    where: { file },
    cause: error,
  });
}

/** Whether the error says that a file or folder is not there. */
export function isMissing(error: unknown): boolean {
  const code = (error as NodeJS.ErrnoException | null)?.code;
  return code === 'ENOENT' || code === 'ENOTDIR';
}

/**
 * Whether files could be written below a folder that may not be there yet.
 * @returns the nearest folder that is there, and what is wrong with it; null for nothing.
 */
export async function whyNotWritable(
  folder: string,
): Promise<{ readonly nearest: string; readonly problem: string | null }> {
  let nearest = folder;
  while (!(await exists(nearest)) && path.dirname(nearest) !== nearest) nearest = path.dirname(nearest);
  if (!(await isFolder(nearest))) return { nearest, problem: 'is not a folder' };
  try {
    await access(nearest, constants.W_OK | constants.X_OK);
    return { nearest, problem: null };
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    return { nearest, problem: code === 'EROFS' ? 'is on a file system for reading only' : 'is not writable' };
  }
}
