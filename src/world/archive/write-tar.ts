import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { open } from 'node:fs/promises';
import type { Origin, PackedEntry } from '../../core/contents/entry.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { encodeTarHeader, endOfArchive, padding } from '../../core/form/tar-header.ts';
import { gzip } from './gzip.ts';

/** A file to be packed. */
export type TarInput = {
  readonly path: string;
  readonly mode: number;
  readonly sizeBytes: number;
  /** Target of a symbolic link, null for a file. */
  readonly linkname: string | null;
  /** Absolute path of the bytes. */
  readonly file: string;
  readonly origin: Origin;
};

/** What was written: sizes and digests, taken while writing. */
export type WrittenArchive = {
  readonly sizeBytes: number;
  readonly sha256: string;
  readonly sha512: string;
  readonly sha1: string;
  readonly entries: readonly PackedEntry[];
};

/**
 * Writes a gzipped tar of the inputs in their order, all with one time. The file is flushed to disk.
 * @param mtime seconds since 1970.
 * @throws FILE_CHANGED when a file is not as long as it was when it was selected.
 */
export async function writeTarGz(file: string, inputs: readonly TarInput[], mtime: number): Promise<WrittenArchive> {
  const entries: PackedEntry[] = [];
  const hashes = [createHash('sha256'), createHash('sha512'), createHash('sha1')] as const;
  let sizeBytes = 0;
  const handle = await open(file, 'wx', 0o644);
  try {
    for await (const chunk of gzip(tarBytes(inputs, mtime, (entry) => entries.push(entry)))) {
      for (const hash of hashes) hash.update(chunk);
      sizeBytes += chunk.length;
      await handle.writeFile(chunk);
    }
    await handle.sync();
  } finally {
    await handle.close();
  }
  const [sha256, sha512, sha1] = hashes.map((hash) => hash.digest('hex'));
  return { sizeBytes, sha256: sha256 ?? '', sha512: sha512 ?? '', sha1: sha1 ?? '', entries };
}

async function* tarBytes(
  inputs: readonly TarInput[],
  mtime: number,
  packed: (entry: PackedEntry) => void,
): AsyncGenerator<Uint8Array> {
  for (const input of inputs) {
    const { path, mode, origin, linkname } = input;
    const sizeBytes = linkname === null ? input.sizeBytes : 0;
    const type = linkname === null ? 'file' : 'symlink';
    yield encodeTarHeader({ path, type, sizeBytes, mode, mtime, linkname: linkname ?? '' });
    const hash = createHash('sha256');
    if (linkname === null) {
      yield* exactly(input, hash);
      yield padding(sizeBytes);
    } else {
      hash.update(linkname);
    }
    packed({ path, type, sizeBytes, mode, linkname, sha256: hash.digest('hex'), origin });
  }
  yield endOfArchive();
}

async function* exactly(input: TarInput, hash: ReturnType<typeof createHash>): AsyncGenerator<Uint8Array> {
  let seen = 0;
  for await (const chunk of createReadStream(input.file, { highWaterMark: 1 << 18 }) as AsyncIterable<Buffer>) {
    seen += chunk.length;
    if (seen > input.sizeBytes) break;
    hash.update(chunk);
    yield chunk;
  }
  // The header has gone out already: a wrong size here would shift every later entry.
  if (seen === input.sizeBytes) return;
  throw new BevelstoneError('FILE_CHANGED', {
    message: `${input.path} changed while it was packed`,
    why: `it had ${input.sizeBytes} bytes when it was selected`,
    fix: 'Make sure that no build step goes on writing in the background, and build again',
  });
}
