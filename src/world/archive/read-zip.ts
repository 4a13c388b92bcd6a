import { type FileHandle, open } from 'node:fs/promises';
import { Readable } from 'node:stream';
import { crc32, createInflateRaw, inflateRawSync } from 'node:zlib';
import { Ambiguity } from '../../core/form/ambiguity.ts';
import {
  compareLocal,
  decodeDirectory,
  decodeDosTime,
  decodeEnd,
  descriptorLength,
  localBytes,
  localLength,
  longestDescriptor,
  longestEnd,
  type ZipEnd,
  type ZipRecord,
} from '../../core/form/zip-reader.ts';
import type { ArchiveBudget } from './budget.ts';
import type { ContainerReader } from './container.ts';
import { EntryCollector, type EntryHeader } from './entry-watcher.ts';
import { FileWindow } from './file-window.ts';
import { damaged, encrypted } from './read-errors.ts';

/** What is packed and unpacked at once: calls of the compressor cost more than so few bytes. */
const wholeBytes = 256 << 10;
const maxLinkBytes = 4096;

/**
 * Reads a zip archive by its central directory, in the order of the bytes. What the directory, the local headers and the
 * descriptors say must agree, members must not overlap, no member may stand between them that the directory does not have, and
 * sizes and checksums must be those of the bytes.
 */
export const readZip: ContainerReader = async (file, watcher, budget) => {
  const handle = await open(file);
  try {
    const { size } = await handle.stat();
    const end = await readEnd(handle, size);
    // The count and the sizes are declared before anything is unpacked, so a bomb is detected here first.
    budget.refuseCount(end.entries);
    const records = await readDirectory(handle, end, budget);
    refuseUnreadable(records, file);
    const collector = new EntryCollector(watcher, budget);
    const order = records.map((_, index) => index).sort((a, b) => offsetOf(records, a) - offsetOf(records, b));
    const reader = new MemberReader({ window: new FileWindow(handle, end.start), file, collector });
    for (const index of order) await reader.read(records[index] as ZipRecord);
    await reader.finish(end.start);
    const { entries: read, kept } = await collector.finish();
    const entries = read.map((_, index) => index);
    for (const [place, index] of order.entries()) entries[index] = place;
    const comment = end.comment.toString('utf8');
    return {
      entries: entries.flatMap((place) => read[place] ?? []),
      kept,
      comment: comment === '' ? null : comment,
      control: new Map(),
    };
  } finally {
    await handle.close();
  }
};

function offsetOf(records: readonly ZipRecord[], index: number): number {
  return records[index]?.offset ?? 0;
}

async function readEnd(handle: FileHandle, fileBytes: number): Promise<ZipEnd> {
  const tail = Buffer.alloc(Math.min(fileBytes, longestEnd));
  const { bytesRead } = await handle.read(tail, 0, tail.length, fileBytes - tail.length);
  return decodeEnd(tail.subarray(0, bytesRead), fileBytes);
}

async function readDirectory(handle: FileHandle, end: ZipEnd, budget: ArchiveBudget): Promise<ZipRecord[]> {
  budget.refuseDirectory(end.sizeBytes);
  const bytes = Buffer.alloc(end.sizeBytes);
  const { bytesRead } = await handle.read(bytes, 0, bytes.length, end.start);
  const records = decodeDirectory(bytes.subarray(0, bytesRead), end.entries);
  budget.refuseSize(records.reduce((sum, { sizeBytes }) => sum + sizeBytes, 0));
  return records;
}

function refuseUnreadable(records: readonly ZipRecord[], file: string): void {
  for (const { path, flags, method, packedBytes, sizeBytes } of records) {
    if ((flags & 0x2041) !== 0) throw encrypted(file, path);
    if (method !== 0 && method !== 8)
      throw damaged(file, `${path} is packed by method ${method}, which nothing that installs packages reads`);
    if (method === 0 && packedBytes !== sizeBytes)
      throw damaged(file, `${path} is not packed, and its two sizes differ`);
  }
}

function toHeader({ path, isUnix, externalAttributes, sizeBytes, dosTime }: ZipRecord): EntryHeader {
  const mode = isUnix ? externalAttributes >>> 16 : 0;
  const kind = mode & 0o170000;
  const [isLink, isFolder] = [kind === 0o120000, path.endsWith('/')];
  if (kind === 0o040000 && !isFolder) throw new Ambiguity(`${path} is a folder by its mode and a file by its name`);
  const type = isLink ? 'symlink' : isFolder ? 'folder' : 'file';
  return {
    path,
    type,
    sizeBytes: type === 'file' ? sizeBytes : 0,
    mode: mode === 0 ? (isFolder ? 0o755 : 0o644) : mode & 0o7777,
    linkname: null,
    mtime: decodeDosTime(dosTime),
    owner: null,
  };
}

/** Reads members in the order of their places. */
class MemberReader {
  readonly #window: FileWindow;
  readonly #file: string;
  readonly #collector: EntryCollector;
  /** Where the bytes of the last member end. */
  #end = 0;
  #last = '';

  constructor({
    window,
    file,
    collector,
  }: { readonly window: FileWindow; readonly file: string; readonly collector: EntryCollector }) {
    [this.#window, this.#file, this.#collector] = [window, file, collector];
  }

  async read(record: ZipRecord): Promise<void> {
    const { path, offset, packedBytes } = record;
    // Members that share bytes are how a small archive is made to unpack to a huge one.
    if (offset < this.#end) throw damaged(this.#file, `${this.#last} and ${path} overlap`);
    await this.#refuseHidden(offset);
    const length = localLength(await this.#window.at(offset, localBytes), record);
    const hasDescriptor = compareLocal(await this.#window.at(offset, length), record);
    const start = offset + length;
    await this.#member(record, start);
    const behind = start + packedBytes;
    const descriptor = hasDescriptor
      ? descriptorLength(await this.#window.at(behind, longestDescriptor, true), record)
      : 0;
    [this.#end, this.#last] = [behind + descriptor, path];
  }

  /** @param directory where the members have to end. */
  async finish(directory: number): Promise<void> {
    if (this.#end > directory) throw new Ambiguity(`${this.#last} reaches into the directory`);
    await this.#refuseHidden(directory);
  }

  /** Between members something may stand, but nothing that a reader without the directory would take for one. */
  async #refuseHidden(until: number): Promise<void> {
    const step = 1 << 16;
    for (let at = this.#end; at < until; at += step) {
      const bytes = await this.#window.at(at, Math.min(step + 3, until - at));
      if (bytes.includes('PK\x03\x04', 0, 'latin1'))
        throw new Ambiguity('it hides an entry that its directory does not list');
    }
  }

  async #member(record: ZipRecord, start: number): Promise<void> {
    const header = toHeader(record);
    if (header.type === 'folder' && record.sizeBytes === 0 && record.packedBytes <= 2)
      return this.#collector.add(header);
    if (header.type === 'folder') throw damaged(this.#file, `the folder ${record.path} holds bytes`);
    const chunks = this.#checked(record, start);
    if (header.type === 'file') return this.#collector.file(header, chunks);
    if (record.sizeBytes > maxLinkBytes)
      throw damaged(this.#file, `the link ${record.path} has a target of ${record.sizeBytes} bytes`);
    const parts: Uint8Array[] = [];
    for await (const chunk of chunks) parts.push(chunk);
    this.#collector.add({ ...header, linkname: Buffer.concat(parts).toString('utf8') });
  }

  /** The bytes of a member; fails when they are more, fewer or others than the headers say. */
  async *#checked(record: ZipRecord, start: number): AsyncGenerator<Buffer> {
    const { path, sizeBytes, crc32: expected } = record;
    let seen = 0;
    let checksum = 0;
    for await (const chunk of this.#unpacked(record, start)) {
      seen += chunk.length;
      if (seen > sizeBytes)
        throw damaged(this.#file, `${path} unpacks to more than the ${sizeBytes} bytes it declares`);
      checksum = crc32(chunk, checksum);
      yield chunk;
    }
    if (seen < sizeBytes) throw damaged(this.#file, `${path} unpacks to ${seen} bytes and declares ${sizeBytes}`);
    if (checksum !== expected) throw damaged(this.#file, `${path} has another checksum than it declares`);
  }

  async *#unpacked({ path, method, packedBytes, sizeBytes }: ZipRecord, start: number): AsyncGenerator<Buffer> {
    if (method === 0) return yield* this.#window.range(start, packedBytes);
    if (packedBytes <= wholeBytes && sizeBytes <= wholeBytes) {
      const packed = await this.#window.at(start, packedBytes);
      const { buffer, engine } = inflateRawSync(packed, {
        maxOutputLength: sizeBytes + 1,
        info: true,
      } as object) as never as {
        readonly buffer: Buffer;
        readonly engine: { readonly bytesWritten: number };
      };
      this.#refuseRest(path, packedBytes, engine.bytesWritten);
      if (buffer.length > 0) yield buffer;
      return;
    }
    const inflate = createInflateRaw({ chunkSize: 1 << 18 });
    const source = Readable.from(this.#window.range(start, packedBytes));
    source.on('error', (error) => inflate.destroy(error));
    yield* source.pipe(inflate) as AsyncIterable<Buffer>;
    source.destroy();
    this.#refuseRest(path, packedBytes, inflate.bytesWritten);
  }

  /** Packed bytes end by themselves; what stands behind them is for another reader. */
  #refuseRest(path: string, packedBytes: number, used: number): void {
    if (used !== packedBytes) throw new Ambiguity(`bytes are hidden behind those of ${path}`);
  }
}
