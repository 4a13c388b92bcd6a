import type { Readable } from 'node:stream';
import { crc32, createInflateRaw } from 'node:zlib';
import { getFileNameLowLevel, openPromise, type Entry as ZipEntry, type ZipFile } from 'yauzl';
import type { ArchiveBudget } from './budget.ts';
import type { ContainerReader, ReadContents } from './container.ts';
import { EntryCollector, type EntryHeader, type EntryWatcher } from './entry-watcher.ts';
import { damaged, encrypted } from './read-errors.ts';

/** A member whose headers agree with each other, and where its bytes lie. */
type Member = { readonly entry: ZipEntry; readonly header: EntryHeader; readonly start: number; readonly end: number };

/**
 * Reads a zip archive by its central directory. What the directory and the local headers say must agree, members must not
 * overlap, and sizes and checksums must be those of the bytes.
 */
export const readZip: ContainerReader = async (file, watcher, budget) => {
  const zip = await openPromise(file, {
    lazyEntries: true,
    autoClose: false,
    decodeStrings: false,
    validateEntrySizes: true,
  });
  try {
    return await readMembers({ zip, file, watcher, budget });
  } finally {
    zip.close();
  }
};

async function readMembers({
  zip,
  file,
  watcher,
  budget,
}: {
  readonly zip: ZipFile;
  readonly file: string;
  readonly watcher: EntryWatcher;
  readonly budget: ArchiveBudget;
}): Promise<ReadContents> {
  const members: Member[] = [];
  const collector = new EntryCollector(watcher, budget);
  let declared = 0;
  // The count and the sizes are declared before anything is unpacked, so a bomb is detected here first.
  budget.refuseCount(zip.entryCount);
  for await (const entry of zip.eachEntry()) {
    declared += entry.uncompressedSize;
    budget.refuseSize(declared);
    members.push(await readHeaders(zip, entry, file));
  }
  refuseOverlap(members, file);
  for (const member of members) await readMember({ zip, member, file, collector });
  const comment = Buffer.from(zip.comment as unknown as Uint8Array).toString('utf8');
  return {
    entries: await collector.finish(),
    kept: collector.kept,
    comment: comment === '' ? null : comment,
    control: new Map(),
  };
}

async function readHeaders(zip: ZipFile, entry: ZipEntry, file: string): Promise<Member> {
  const path = getFileNameLowLevel(entry.generalPurposeBitFlag, entry.fileNameRaw, entry.extraFields, false);
  if ((entry.generalPurposeBitFlag & 0x0001) !== 0) throw encrypted(file, path);
  if (entry.compressionMethod !== 0 && entry.compressionMethod !== 8)
    throw damaged(
      file,
      `${path} is packed by method ${entry.compressionMethod}, which nothing that installs packages reads`,
    );
  const local = await zip.readLocalFileHeaderPromise(entry);
  const isStreamed = (local.generalPurposeBitFlag & 0x0008) !== 0;
  const differs =
    !local.fileName.equals(entry.fileNameRaw) ||
    local.compressionMethod !== entry.compressionMethod ||
    (!isStreamed && !agrees(local.compressedSize, entry.compressedSize)) ||
    (!isStreamed && !agrees(local.uncompressedSize, entry.uncompressedSize)) ||
    (!isStreamed && local.crc32 !== entry.crc32);
  if (differs) throw damaged(file, `the two headers of ${path} contradict each other`);
  const end = local.fileDataStart + entry.compressedSize;
  return { entry, header: toHeader(entry, path), start: entry.relativeOffsetOfLocalHeader, end };
}

/** A local header may leave a size to its zip64 field, which the directory has given already. */
function agrees(local: number, central: number): boolean {
  return local === central || local === 0xffffffff;
}

function toHeader(entry: ZipEntry, path: string): EntryHeader {
  const attributes = entry.externalFileAttributes >>> 16;
  const isUnix = entry.versionMadeBy >>> 8 === 3 && attributes !== 0;
  const isFolder = path.endsWith('/');
  const isLink = isUnix && (attributes & 0o170000) === 0o120000;
  const type = isLink ? 'symlink' : isFolder ? 'folder' : 'file';
  return {
    path,
    type,
    sizeBytes: type === 'file' ? entry.uncompressedSize : 0,
    mode: isUnix ? attributes & 0o7777 : isFolder ? 0o755 : 0o644,
    linkname: null,
    mtime: Math.floor(entry.getLastModDate({ timezone: 'UTC' }).getTime() / 1000),
    owner: null,
  };
}

/** Members that share bytes are how a small archive is made to unpack to a huge one. */
function refuseOverlap(members: readonly Member[], file: string): void {
  const sorted = [...members].sort((a, b) => a.start - b.start);
  for (const [index, { header, start }] of sorted.entries()) {
    const before = sorted[index - 1];
    if (before !== undefined && before.end > start)
      throw damaged(file, `${before.header.path} and ${header.path} overlap`);
  }
}

const maxLinkBytes = 4096;

async function readMember({
  zip,
  member: { entry, header, end },
  file,
  collector,
}: {
  readonly zip: ZipFile;
  readonly member: Member;
  readonly file: string;
  readonly collector: EntryCollector;
}): Promise<void> {
  if (header.type === 'folder') return collector.add(header);
  const start = end - entry.compressedSize;
  const chunks = checked({ chunks: await openRaw(zip, start, entry), zipEntry: entry, path: header.path, file });
  if (header.type === 'file') return collector.file(header, chunks);
  if (entry.uncompressedSize > maxLinkBytes)
    throw damaged(file, `the link ${header.path} has a target of ${entry.uncompressedSize} bytes`);
  const parts: Uint8Array[] = [];
  for await (const chunk of chunks) parts.push(chunk);
  collector.add({ ...header, linkname: Buffer.concat(parts).toString('utf8') });
}

async function openRaw(zip: ZipFile, start: number, entry: ZipEntry): Promise<AsyncIterable<Buffer>> {
  if (entry.compressedSize === 0) return emptyStream();
  const { compressedSize } = entry;
  // The library's own promise of this passes its arguments to another method.
  const raw = await new Promise<Readable>((resolve, reject) => {
    const answer = (error: Error | null, stream: Readable) => (error === null ? resolve(stream) : reject(error));
    zip.openReadStreamLowLevel(start, compressedSize, 0, compressedSize, false, null, answer);
  });
  if (entry.compressionMethod === 0) return raw;
  const inflate = createInflateRaw({ chunkSize: 1 << 18 });
  raw.on('error', (error) => inflate.destroy(error));
  return raw.pipe(inflate);
}

async function* emptyStream(): AsyncGenerator<Buffer> {}

/** Passes bytes on, and fails when they are more, fewer or others than the headers say. */
async function* checked({
  chunks,
  zipEntry: { uncompressedSize, crc32: expected },
  path,
  file,
}: {
  readonly chunks: AsyncIterable<Buffer>;
  readonly zipEntry: ZipEntry;
  readonly path: string;
  readonly file: string;
}): AsyncGenerator<Buffer> {
  let seen = 0;
  let checksum = 0;
  for await (const chunk of chunks) {
    seen += chunk.length;
    if (seen > uncompressedSize)
      throw damaged(file, `${path} unpacks to more than the ${uncompressedSize} bytes it declares`);
    checksum = crc32(chunk, checksum);
    yield chunk;
  }
  if (seen < uncompressedSize) throw damaged(file, `${path} unpacks to ${seen} bytes and declares ${uncompressedSize}`);
  if (checksum !== expected) throw damaged(file, `${path} has another checksum than it declares`);
}
