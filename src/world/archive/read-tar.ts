import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { pipeline } from 'node:stream/promises';
import { createGunzip } from 'node:zlib';
import { extract, type Header } from 'tar-stream';
import type { Entry } from '../../core/contents/entry.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';

/** What a reader may spend on one archive, so that no archive can make it hang or eat all memory. */
export type ReadLimits = { readonly entries: number; readonly unpackedBytes: number; readonly keptBytes: number };

/** Limits for archives from anywhere. */
export const ordinaryLimits: ReadLimits = { entries: 1_000_000, unpackedBytes: 64 * 2 ** 30, keptBytes: 4 << 20 };

/** Somebody who looks at the bytes of entries while they pass. */
export type EntryWatcher = {
  /** Whether the whole content is wanted, up to the limit for kept bytes. */
  readonly wants?: (path: string, sizeBytes: number) => boolean;
  /** Gets every chunk of every file. */
  readonly chunk?: (path: string, chunk: Uint8Array, isFirst: boolean) => void;
};

/** What was read. */
export type ReadArchive = {
  readonly entries: readonly Entry[];
  /** Contents that a watcher wanted and that were small enough. */
  readonly kept: ReadonlyMap<string, Buffer>;
  readonly sizeBytes: number;
  readonly sha256: string;
  readonly sha512: string;
};

/**
 * Reads a gzipped tar once, streaming, with a digest of each entry and of the file.
 * @throws ARCHIVE_DAMAGED for anything truncated or malformed, ARCHIVE_TOO_LARGE beyond the limits.
 */
export async function readTarGz(
  file: string,
  watcher: EntryWatcher = {},
  limits = ordinaryLimits,
): Promise<ReadArchive> {
  const entries: Entry[] = [];
  const kept = new Map<string, Buffer>();
  const [sha256, sha512] = [createHash('sha256'), createHash('sha512')];
  let sizeBytes = 0;
  let unpacked = 0;
  const reader = extract();
  const read = (async () => {
    for await (const member of reader) {
      const header = member.header as Header;
      if (entries.length >= limits.entries) throw tooLarge(file, `more than ${limits.entries} entries`);
      const wanted = watcher.wants?.(header.name, header.size ?? 0) === true && (header.size ?? 0) <= limits.keptBytes;
      const chunks: Buffer[] = [];
      const hash = createHash('sha256');
      let isFirst = true;
      for await (const chunk of member as AsyncIterable<Buffer>) {
        unpacked += chunk.length;
        if (unpacked > limits.unpackedBytes) throw tooLarge(file, `more than ${limits.unpackedBytes} bytes unpacked`);
        hash.update(chunk);
        watcher.chunk?.(header.name, chunk, isFirst);
        isFirst = false;
        if (wanted) chunks.push(chunk);
      }
      if (wanted) kept.set(header.name, Buffer.concat(chunks));
      entries.push(toEntry(header, hash));
    }
  })();
  const hashed = async function* (source: AsyncIterable<Buffer>) {
    for await (const chunk of source) {
      sha256.update(chunk);
      sha512.update(chunk);
      sizeBytes += chunk.length;
      yield chunk;
    }
  };
  try {
    await Promise.all([pipeline(createReadStream(file), hashed, createGunzip(), reader), read]);
  } catch (error) {
    throw translate(error, file);
  }
  if (entries.length === 0) throw damaged(file, 'it holds no entry');
  return { entries, kept, sizeBytes, sha256: sha256.digest('hex'), sha512: sha512.digest('hex') };
}

const types: Readonly<Record<string, Entry['type']>> = {
  file: 'file',
  'contiguous-file': 'file',
  directory: 'folder',
  symlink: 'symlink',
  link: 'hardlink',
};

function toEntry(header: Header, hash: ReturnType<typeof createHash>): Entry {
  const type = types[header.type ?? 'file'] ?? 'special';
  const linkname = type === 'symlink' || type === 'hardlink' ? (header.linkname ?? '') : null;
  if (linkname !== null) hash.update(linkname);
  return {
    path: header.name,
    type,
    sizeBytes: type === 'file' ? (header.size ?? 0) : 0,
    mode: (header.mode ?? 0) & 0o7777,
    linkname,
    sha256: type === 'folder' || type === 'special' ? null : hash.digest('hex'),
  };
}

function translate(error: unknown, file: string): unknown {
  if (error instanceof BevelstoneError) return error;
  const { code, message } = error as NodeJS.ErrnoException;
  if (code === 'ENOENT' || code === 'EISDIR' || code === 'EACCES') {
    return new BevelstoneError('FILE_NOT_FOUND', {
      message: `${file} cannot be read`,
      why: code === 'ENOENT' ? 'there is no such file' : code === 'EISDIR' ? 'it is a folder' : 'permission is denied',
      fix: 'Check the path',
      where: { file },
      cause: error,
    });
  }
  return damaged(file, message ?? 'it cannot be read', error);
}

function damaged(file: string, why: string, cause?: unknown): BevelstoneError {
  return new BevelstoneError('ARCHIVE_DAMAGED', {
    message: `${file} is truncated or damaged`,
    why,
    fix: 'Build or fetch it again',
    where: { file },
    ...(cause === undefined ? {} : { cause }),
  });
}

function tooLarge(file: string, why: string): BevelstoneError {
  return new BevelstoneError('ARCHIVE_TOO_LARGE', {
    message: `${file} holds more than is reasonable`,
    why,
    fix: 'Do not unpack it; ask where it comes from',
    where: { file },
  });
}
