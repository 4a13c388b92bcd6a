import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { nearest } from '../../core/text/nearest.ts';
import { readArchive } from './read-archive.ts';

const maxBytes = 256 << 20;

/**
 * The bytes of one entry; of a link its target.
 * @throws ENTRY_NOT_FOUND with the nearest path, ARCHIVE_TOO_LARGE beyond 256 MiB, and whatever reading the archive may throw.
 */
export async function readEntry(file: string, path: string): Promise<Buffer> {
  const parts: Buffer[] = [];
  let sizeBytes = 0;
  const { entries } = await readArchive(file, {
    chunk: (name, chunk, isFirst) => {
      if (name !== path) return;
      // Of two entries at one path an installer keeps the last.
      if (isFirst) [parts.length, sizeBytes] = [0, 0];
      sizeBytes += chunk.byteLength;
      if (sizeBytes <= maxBytes) parts.push(Buffer.from(chunk));
    },
  });
  const found = entries.find((entry) => entry.path === path && entry.type !== 'folder' && entry.type !== 'special');
  if (found === undefined)
    throw notFound(
      file,
      path,
      entries.map((entry) => entry.path),
    );
  if (found.linkname !== null) return Buffer.from(found.linkname);
  if (sizeBytes <= maxBytes) return Buffer.concat(parts);
  throw new BevelstoneError('ARCHIVE_TOO_LARGE', {
    message: `${path} is too large to print`,
    why: `size: ${sizeBytes} bytes`,
    fix: 'Use --extract to write it into a folder',
    where: { file },
  });
}

function notFound(file: string, path: string, paths: readonly string[]): BevelstoneError {
  const below = paths.find((other) => other.endsWith(`/${path}`));
  const near = below ?? nearest(path, paths);
  return new BevelstoneError('ENTRY_NOT_FOUND', {
    message: `${file} has no file ${path}`,
    why: 'expected a path as shown by `bevelstone inspect FILE`, including the top folder',
    fix: near === null ? 'List the entries with: bevelstone inspect FILE' : `Did you mean "${near}"?`,
    where: { file },
  });
}
