import { createReadStream } from 'node:fs';
import type { Readable } from 'node:stream';
import { createGunzip } from 'node:zlib';
import type { Entry } from '../../core/contents/entry.ts';
import { Ambiguity } from '../../core/form/ambiguity.ts';
import { blockBytes } from '../../core/form/tar-header.ts';
import {
  decodePax,
  decodeTarHeader,
  type PaxValues,
  TarError,
  type TarHeader,
  text,
  withPax,
} from '../../core/form/tar-reader.ts';
import type { ArchiveBudget } from './budget.ts';
import type { ContainerReader, ReadContents } from './container.ts';
import { EntryCollector, type EntryHeader, type EntrySink, type EntryWatcher } from './entry-watcher.ts';

const chunkBytes = 1 << 20;
const maxExtendedBytes = 1 << 20;

/** Reads a gzipped tar, streaming. */
export const readTarGz: ContainerReader = async (file, watcher, budget) => {
  const source = createReadStream(file, { highWaterMark: chunkBytes });
  return readTar({ source: gunzip(source), watcher, budget });
};

/** Reads a plain tar, streaming. */
export const readPlainTar: ContainerReader = async (file, watcher, budget) =>
  readTar({ source: createReadStream(file, { highWaterMark: chunkBytes }), watcher, budget });

/** Unpacks ahead of its reader, so that both are at work. Small chunks would cost more to pass on than to unpack. */
export function gunzip(source: Readable): AsyncIterable<Buffer> {
  const unpacked = createGunzip({ chunkSize: chunkBytes, highWaterMark: 4 * chunkBytes } as object);
  source.on('error', (error) => unpacked.destroy(error));
  // Whoever stops reading closes what is unpacked, and the file behind it with that.
  unpacked.on('close', () => source.destroy());
  return source.pipe(unpacked);
}

/**
 * Reads a tar archive once, as its bytes come.
 * @param rename gives an entry its path, null to pass over it.
 * @throws TarError, ARCHIVE_TOO_LARGE, and whatever the bytes' source throws.
 */
export async function readTar({
  source,
  watcher,
  budget,
  rename = (path) => path,
}: {
  readonly source: AsyncIterable<Buffer>;
  readonly watcher: EntryWatcher;
  readonly budget: ArchiveBudget;
  readonly rename?: (path: string) => string | null;
}): Promise<ReadContents> {
  const reader = new TarReader(new EntryCollector(watcher, budget), budget, rename);
  for await (const chunk of source) {
    const busy = reader.push(chunk);
    if (busy !== null) await busy;
  }
  return reader.end();
}

type Body = { left: number; readonly take: (part: Buffer) => void | Promise<void>; readonly end: () => void };

/** Goes through the blocks of a tar archive: header, body, padding, again and again. */
class TarReader {
  readonly #collector: EntryCollector;
  readonly #budget: ArchiveBudget;
  readonly #rename: (path: string) => string | null;
  #partial: Buffer | null = null;
  #body: Body | null = null;
  #padding = 0;
  #pax: PaxValues = {};
  #global: PaxValues = {};
  #hasPax = false;
  #isEnded = false;

  constructor(collector: EntryCollector, budget: ArchiveBudget, rename: (path: string) => string | null) {
    [this.#collector, this.#budget, this.#rename] = [collector, budget, rename];
  }

  /** @returns a promise only when a watcher of the bytes needs time. */
  push(chunk: Buffer): Promise<void> | null {
    for (let at = 0; at < chunk.length; ) {
      if (this.#isEnded) return this.#refuseRest(chunk.subarray(at));
      if (this.#body !== null && this.#body.left > 0) {
        const part = chunk.subarray(at, at + this.#body.left);
        this.#body.left -= part.length;
        at += part.length;
        const busy = this.#body.take(part);
        if (busy instanceof Promise) return busy.then(() => this.push(chunk.subarray(at)) ?? undefined);
      } else if (this.#body !== null) {
        this.#body.end();
        this.#body = null;
      } else if (this.#padding > 0) {
        const skipped = Math.min(this.#padding, chunk.length - at);
        this.#padding -= skipped;
        at += skipped;
      } else {
        at += this.#header(chunk, at);
      }
    }
    return null;
  }

  async end(): Promise<ReadContents> {
    if (this.#body !== null && this.#body.left === 0) {
      this.#body.end();
      this.#body = null;
    }
    if (this.#body !== null || this.#partial !== null) throw new TarError('unexpected end of file');
    return { ...(await this.#collector.finish()), comment: this.#global['comment'] ?? null, control: new Map() };
  }

  /** Behind the end only padding may stand: some readers go on there. */
  #refuseRest(bytes: Buffer): null {
    if (bytes.every((byte) => byte === 0)) return null;
    throw new Ambiguity('something stands behind its end');
  }

  /** Takes a header, or the part of one that the chunk has. @returns how many bytes were taken. */
  #header(chunk: Buffer, at: number): number {
    const before = this.#partial;
    if (before === null && chunk.length - at >= blockBytes) {
      this.#decode(chunk, at);
      return blockBytes;
    }
    const part = chunk.subarray(at, at + blockBytes - (before?.length ?? 0));
    // The chunk's own bytes may be used again once it has been read.
    const block = Buffer.concat([before ?? Buffer.alloc(0), part]);
    this.#partial = block.length < blockBytes ? block : null;
    if (this.#partial === null) this.#decode(block, 0);
    return part.length;
  }

  #decode(bytes: Buffer, at: number): void {
    const header = decodeTarHeader(bytes, at);
    if (header === null) this.#isEnded = true;
    else this.#begin(header);
  }

  #begin(header: TarHeader): void {
    const isExtended = 'xgLK'.includes(header.typeflag);
    const whole = isExtended || !this.#hasPax ? header : withPax(header, { ...this.#global, ...this.#pax });
    const sizeBytes = isExtended || isFile(whole) ? whole.sizeBytes : 0;
    this.#padding = (blockBytes - (sizeBytes % blockBytes)) % blockBytes;
    this.#body = isExtended ? this.#extended(header) : this.#entry(whole, sizeBytes);
    if (!isExtended) this.#pax = {};
  }

  /** What an extended header holds is for the next entry, or for all that follow. */
  #extended({ typeflag, sizeBytes }: TarHeader): Body {
    if (sizeBytes > maxExtendedBytes) throw new TarError(`an extended header has ${sizeBytes} bytes`);
    const parts: Buffer[] = [];
    return {
      left: sizeBytes,
      take: (part) => {
        this.#budget.unpacked(part.length);
        parts.push(Buffer.from(part));
      },
      end: () => {
        const body = Buffer.concat(parts);
        this.#hasPax = true;
        if (typeflag === 'g') this.#global = { ...this.#global, ...forAll(decodePax(body)) };
        else if (typeflag === 'x') this.#pax = { ...this.#pax, ...decodePax(body) };
        else this.#pax = { ...this.#pax, [typeflag === 'L' ? 'path' : 'linkpath']: text(body, 0, body.length) };
      },
    };
  }

  #entry(header: TarHeader, sizeBytes: number): Body {
    // A bomb says so in its header, before a byte of it is unpacked.
    this.#budget.refuseMore(sizeBytes);
    const path = this.#rename(header.name);
    const described = path === null ? null : toEntry(header, path);
    const sink: EntrySink | null =
      described !== null && described.type === 'file' ? this.#collector.begin(described) : null;
    if (described !== null && sink === null) this.#collector.add(described);
    const skip = (part: Buffer) => this.#budget.unpacked(part.length);
    return { left: sizeBytes, take: sink === null ? skip : sink.write, end: sink === null ? () => {} : sink.end };
  }
}

/** What a global header says of every entry that follows. */
function forAll(values: PaxValues): PaxValues {
  const own = ['path', 'linkpath', 'size'].find((name) => values[name] !== undefined);
  if (own !== undefined) throw new Ambiguity(`a global header gives the ${own} of all entries, which few readers do`);
  return values;
}

const types: Readonly<Record<string, Entry['type']>> = {
  '0': 'file',
  '7': 'file',
  '1': 'hardlink',
  '2': 'symlink',
  '5': 'folder',
};

/** An old archive marks a folder by the slash at the end of its name alone. */
function typeOf({ typeflag, name }: TarHeader): Entry['type'] {
  return typeflag === '0' && name.endsWith('/') ? 'folder' : (types[typeflag] ?? 'special');
}

function isFile(header: TarHeader): boolean {
  const type = typeOf(header);
  return type === 'file' || type === 'special';
}

function toEntry(header: TarHeader, path: string): EntryHeader {
  const type = typeOf(header);
  const { mode, mtime, owner, linkname } = header;
  return {
    path: type === 'folder' && !path.endsWith('/') ? `${path}/` : path,
    type,
    sizeBytes: type === 'file' ? header.sizeBytes : 0,
    mode,
    linkname: type === 'symlink' || type === 'hardlink' ? linkname : null,
    mtime,
    owner,
  };
}
