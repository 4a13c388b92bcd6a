import { type FileHandle, lstat, mkdir, open as openFile, realpath, symlink } from 'node:fs/promises';
import path from 'node:path';
import { linkLeaves, unsafeReason } from '../../core/contents/safe-path.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { readArchive } from './read-archive.ts';

/**
 * Writes the entries of an archive into a folder, never outside of it and never over anything: paths are checked before
 * anything is written, and links come last, when no file can be written through them any more.
 * @returns paths that were written.
 * @throws EXTRACT_UNSAFE for an entry that would leave the folder, for special files, and for what is there already.
 */
export async function extractArchive(file: string, folder: string): Promise<string[]> {
  const { entries } = await readArchive(file);
  const seen = new Set<string>();
  for (const { path: inside, type, linkname } of entries) {
    const plain = inside.replace(/\/$/, '');
    const why = unsafeReason(plain) ?? (type === 'special' ? 'it is a special file' : null);
    if (why !== null) throw unsafe(file, inside, why);
    if (linkname !== null && linkLeaves(plain, linkname, type === 'hardlink'))
      throw unsafe(file, inside, `it links to ${linkname}, outside the folder`);
    if (type !== 'folder' && seen.has(plain.toLowerCase()))
      throw unsafe(file, inside, 'another entry has the same path');
    if (type !== 'folder') seen.add(plain.toLowerCase());
  }
  await mkdir(folder, { recursive: true });
  const root = await realpath(folder);
  for (const inside of seen)
    if (await isThere(path.join(root, inside)))
      throw unsafe(file, inside, `${path.join(root, inside)} is there already`);
  await writeFiles(file, root, new Map(entries.map((entry) => [entry.path, entry.mode])));
  for (const { path: inside, type, linkname } of entries) {
    const target = path.join(root, inside);
    await mkdir(type === 'folder' ? target : path.dirname(target), { recursive: true });
    if (type === 'symlink') await symlink(linkname ?? '', target);
    if (type === 'hardlink')
      await symlink(path.relative(path.dirname(target), path.join(root, linkname ?? '')), target);
  }
  return entries.map((entry) => entry.path);
}

/** Files one after the other as they come, each flushed to the system before the next is read. */
async function writeFiles(file: string, root: string, modes: ReadonlyMap<string, number>): Promise<void> {
  let open: FileHandle | null = null;
  const begin = async (name: string) => {
    await open?.close();
    await mkdir(path.dirname(path.join(root, name)), { recursive: true });
    open = await openFile(path.join(root, name), 'wx', (modes.get(name) ?? 0o644) & 0o755);
    return open;
  };
  try {
    const { entries } = await readArchive(file, {
      chunk: async (name, chunk, isFirst) => {
        const handle = isFirst || open === null ? await begin(name) : open;
        await handle.writeFile(chunk);
      },
    });
    for (const { path: name, type, sizeBytes } of entries) if (type === 'file' && sizeBytes === 0) await begin(name);
  } finally {
    await (open as FileHandle | null)?.close();
  }
}

async function isThere(file: string): Promise<boolean> {
  return lstat(file).then(
    () => true,
    () => false,
  );
}

function unsafe(file: string, inside: string, why: string): BevelstoneError {
  return new BevelstoneError('EXTRACT_UNSAFE', {
    message: `${inside} of ${path.basename(file)} is not extracted`,
    why,
    fix: 'Nothing was written; look at the entry with --print, or extract into an empty folder',
    where: { file },
  });
}
