import { constants } from 'node:fs';
import { chmod, type FileHandle, mkdir, open as openFile, readdir, rename, rmdir, symlink } from 'node:fs/promises';
import path from 'node:path';
import type { ReadEntry } from '../../core/contents/entry.ts';
import { refuseExtraction } from '../../core/contents/extraction.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { isMissing } from '../files.ts';
import { fillFresh } from '../fresh-folder.ts';
import { ownSuffix } from '../leftovers.ts';
import { readArchive } from './read-archive.ts';

/**
 * Writes the entries of an archive into a new folder. They go into a folder of their own first, which gets its name when it
 * is complete, so nothing half-written remains and nothing that lies there can lead elsewhere. Links come last.
 * @param folder that does not exist yet, or is empty.
 * @returns paths that were written.
 * @throws EXTRACT_UNSAFE for an entry that could leave the folder, for special files and hard links, for names that no file
 * system takes, and when something is in the folder already.
 */
export async function extractArchive(file: string, folder: string): Promise<string[]> {
  const entries = (await readArchive(file)).entries.flatMap((entry) => {
    const inside = belowTop(entry.path);
    return inside === '' ? [] : [{ ...entry, path: inside }];
  });
  const refusal = refuseExtraction(entries);
  if (refusal !== null) throw unsafe(file, refusal.path, refusal.why);
  const isThere = await refuseFull(file, folder);
  await mkdir(path.dirname(folder), { recursive: true });
  const fresh = `${folder}.${ownSuffix()}.tmp`;
  await fillFresh({
    fresh,
    mode: 0o700,
    fill: async () => {
      await fill(file, fresh, entries);
      await chmod(fresh, 0o755);
    },
    settle: async () => {
      if (isThere) await rmdir(folder);
      await rename(fresh, folder);
    },
  });
  return entries.map((entry) => entry.path);
}

/** A path without `./` before it, which archives of a whole folder have; '' for that folder itself. */
function belowTop(inside: string): string {
  return inside.replace(/^(?:\.\/)+/, '').replace(/^\.$/, '');
}

async function fill(file: string, root: string, entries: readonly ReadEntry[]): Promise<void> {
  const files = entries.filter(({ type }) => type === 'file');
  await writeFiles(file, root, new Map(files.map(({ path: inside, mode }) => [inside, mode])));
  for (const { path: inside, type, linkname } of entries) {
    const target = path.join(root, inside);
    try {
      await mkdir(type === 'folder' ? target : path.dirname(target), { recursive: true });
      if (type === 'symlink') await symlink(linkname ?? '', target);
    } catch (error) {
      throw untaken(file, inside, error);
    }
  }
}

/** What this file system does not take, such as a name with bytes that it has no letters for; anything else stays as it is. */
function untaken(file: string, inside: string, error: unknown): unknown {
  const { code } = error as NodeJS.ErrnoException;
  const isName = ['EEXIST', 'EILSEQ', 'EINVAL', 'ELOOP', 'ENAMETOOLONG', 'ENOENT', 'ENOTDIR', 'EISDIR'].includes(
    code ?? '',
  );
  return isName ? unsafe(file, inside, `this file system does not take its name or its target (${code})`) : error;
}

/** Files one after the other as they come, each flushed to the system before the next is read. */
async function writeFiles(file: string, root: string, modes: ReadonlyMap<string, number>): Promise<void> {
  let open: FileHandle | null = null;
  const begin = async (name: string) => {
    await open?.close();
    open = null;
    const mode = modes.get(name);
    // The archive is read a second time, and may be another one by now.
    if (mode === undefined) throw unsafe(file, name, 'the file changed while it was read');
    try {
      await mkdir(path.dirname(path.join(root, name)), { recursive: true });
      open = await openFile(path.join(root, name), newFile, mode & 0o755);
    } catch (error) {
      throw untaken(file, name, error);
    }
    return open;
  };
  try {
    const { entries } = await readArchive(file, {
      chunk: async (name, chunk, isFirst) => {
        const handle = isFirst || open === null ? await begin(belowTop(name)) : open;
        await handle.writeFile(chunk);
      },
    });
    for (const { path: name, type, sizeBytes } of entries)
      if (type === 'file' && sizeBytes === 0) await begin(belowTop(name));
  } finally {
    await (open as FileHandle | null)?.close();
  }
}

const newFile = constants.O_WRONLY | constants.O_CREAT | constants.O_EXCL | constants.O_NOFOLLOW;

/** @returns whether the folder is there, and empty. */
async function refuseFull(file: string, folder: string): Promise<boolean> {
  try {
    const [first] = await readdir(folder);
    if (first === undefined) return true;
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return false;
    if (!isMissing(error)) throw error;
  }
  throw new BevelstoneError('EXTRACT_UNSAFE', {
    message: `${path.basename(file)} was not extracted to ${folder}`,
    why: 'the folder already exists, and existing files are never overwritten',
    fix: 'Give a folder that does not exist',
    where: { file: folder },
  });
}

function unsafe(file: string, inside: string, why: string): BevelstoneError {
  return new BevelstoneError('EXTRACT_UNSAFE', {
    message: `${inside} of ${path.basename(file)} was not extracted`,
    why,
    fix: 'Nothing was written; to see the entry use --print',
    where: { file },
  });
}
