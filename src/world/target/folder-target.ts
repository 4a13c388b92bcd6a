import { constants } from 'node:fs';
import {
  chmod,
  link,
  lstat,
  mkdir,
  open,
  readdir,
  readlink,
  rename,
  rm,
  rmdir,
  stat,
  symlink,
  unlink,
} from 'node:fs/promises';
import path from 'node:path';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { readBytes } from '../file-bytes.ts';
import { flushFolder, isMissing } from '../files.ts';
import { runStep } from '../step.ts';
import type { Target, TargetEntry } from './target.ts';
import { targetRefused } from './target-errors.ts';

/** A folder of this machine. */
export function openFolderTarget({
  folder,
  env,
  signal,
}: {
  readonly folder: string;
  /** Environment of commands. */
  readonly env: Readonly<Record<string, string>>;
  readonly signal: AbortSignal;
}): Target {
  const where = `folder ${folder}`;
  const guarded = async <Value>(place: string, work: () => Promise<Value>): Promise<Value> => {
    try {
      return await work();
    } catch (error) {
      const { code, message } = error as NodeJS.ErrnoException;
      if (error instanceof BevelstoneError || code === undefined) throw error;
      throw targetRefused({ where, path: place, why: message, cause: error });
    }
  };
  return {
    where,
    folder,
    find: (place) => guarded(place, () => find(place)),
    names: (place) =>
      guarded(place, async () => {
        try {
          return (await readdir(place)).sort();
        } catch (error) {
          if (isMissing(error)) return [];
          throw error;
        }
      }),
    read: (place) => guardedRead(place, where),
    write: (place, content, mode) => guarded(place, () => write(place, content, mode)),
    makeFolder: (place) => guarded(place, () => makeFolders(place)),
    makeLink: (place, linkname) => guarded(place, () => symlink(linkname, place)),
    linkname: (place) => guarded(place, () => readlink(place)),
    replace: (from, to) =>
      guarded(to, async () => {
        await rename(from, to);
        await flushFolder(path.dirname(to));
      }),
    claim: (from, to) => guarded(to, () => claim(from, to)),
    setMode: (place, mode) => guarded(place, () => chmod(place, mode)),
    remove: (place) => guarded(place, () => rm(place, { force: true })),
    removeFolder: (place) => guarded(place, () => removeEmpty(place)),
    run: ({ run, folder: inside, env: own, timeoutMs, log }) =>
      runStep({ run, folder: inside, env: { ...env, ...own }, log, signal, timeoutMs }),
    close: async () => {},
  };
}

async function* guardedRead(place: string, where: string): AsyncGenerator<Uint8Array> {
  try {
    yield* readBytes(place);
  } catch (error) {
    const { code, message } = error as NodeJS.ErrnoException;
    if (code === undefined) throw error;
    throw targetRefused({ where, path: place, why: message, cause: error });
  }
}

async function find(place: string): Promise<TargetEntry | null> {
  try {
    const found = await lstat(place);
    const type = found.isFile()
      ? 'file'
      : found.isDirectory()
        ? 'folder'
        : found.isSymbolicLink()
          ? 'symlink'
          : 'special';
    return { type, mode: found.mode & 0o7777, sizeBytes: found.size };
  } catch (error) {
    if (isMissing(error)) return null;
    throw error;
  }
}

async function write(place: string, content: AsyncIterable<Uint8Array>, mode: number): Promise<void> {
  const flags = constants.O_WRONLY | constants.O_CREAT | constants.O_EXCL | constants.O_NOFOLLOW;
  const file = await open(place, flags, mode);
  try {
    for await (const chunk of content) await file.writeFile(chunk);
    await file.chmod(mode);
    await file.sync();
  } finally {
    await file.close();
  }
}

/** One folder after the other: Node.js never comes back from making folders where the system allows none (below /proc). */
async function makeFolders(place: string): Promise<void> {
  try {
    if ((await stat(place)).isDirectory()) return;
  } catch (error) {
    if (!isMissing(error)) throw error;
    if (path.dirname(place) !== place) await makeFolders(path.dirname(place));
  }
  try {
    await mkdir(place, { mode: 0o755 });
  } catch (error) {
    // Another deployment may have made it in this moment.
    if ((await find(place))?.type !== 'folder') throw error;
  }
  await chmod(place, 0o755);
}

async function claim(from: string, to: string): Promise<boolean> {
  try {
    await link(from, to);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'EEXIST') return false;
    throw error;
  }
  await unlink(from);
  return true;
}

async function removeEmpty(place: string): Promise<boolean> {
  try {
    await rmdir(place);
    return true;
  } catch (error) {
    if (isMissing(error) || ['ENOTEMPTY', 'EEXIST'].includes((error as NodeJS.ErrnoException).code ?? '')) return false;
    throw error;
  }
}
