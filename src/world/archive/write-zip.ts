import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { open, rm } from 'node:fs/promises';
import { crc32 } from 'node:zlib';
import type { PackedSoFar } from '../../core/form/plan.ts';
import { isDense } from '../../core/form/stored-deflate.ts';
import { encodeDirectory, encodeLocalHeader, type ZipMember } from '../../core/form/zip-header.ts';
import { Deflaters } from './deflaters.ts';
import { deflateBlocks, deflateLevel } from './gzip.ts';
import { OutputFile, type WrittenArchive } from './output-file.ts';
import { ahead, contentSize, loadSmall, type PackInput, readLarge, sha256Of, wholeBytes } from './pack-input.ts';

/** How a zip archive is written. */
export type ZipOptions = {
  /** Seconds since 1970, for every entry. */
  readonly mtime: number;
  /** What the archive says of itself; null for nothing. */
  readonly comment?: string | null;
};

type Packed = Pick<ZipMember, 'type' | 'method' | 'crc32' | 'sizeBytes' | 'packedBytes'> & {
  readonly input: PackInput;
  readonly sha256: string | null;
  readonly linkname: string | null;
  /** The bytes as they lie in the archive; null for a large file, which is packed when its turn comes. */
  readonly bytes: Uint8Array | null;
};

/** What is shorter than this never gets smaller. */
const worthDeflating = 24;

/**
 * Writes a zip archive of the inputs in their order, all with one time. Files are deflated on all cores, each on its own up
 * to 1 MiB, in blocks beyond; entries that do not shrink are stored. The file is flushed to disk.
 * @throws FILE_CHANGED when a file is not as long as it was when it was selected.
 */
export async function writeZip(
  file: string,
  inputs: Iterable<PackInput>,
  { mtime, comment = null }: ZipOptions,
): Promise<WrittenArchive> {
  const deflaters = new Deflaters(deflateLevel);
  const written = OutputFile.fill(file, async (output) => {
    const members: ZipMember[] = [];
    const entries: PackedSoFar[] = [];
    for await (const early of ahead(inputs, (input) => packSmall(input, deflaters))) {
      const { path, mode, content, origin } = early.input;
      const spill = `${file}.spill`;
      const packed =
        content.type === 'made'
          ? await packBytes(early.input, content.make(entries), deflaters)
          : early.bytes === null && content.type === 'file'
            ? await packLarge({ input: early.input, file: content.file, sizeBytes: content.sizeBytes, spill })
            : early;
      const { type, method, sizeBytes, packedBytes, sha256, linkname } = packed;
      const member = {
        path,
        type,
        mode,
        method,
        crc32: packed.crc32,
        sizeBytes,
        packedBytes,
        offset: output.sizeBytes,
      };
      output.write(encodeLocalHeader(member, mtime));
      if (packed.bytes !== null) output.write(packed.bytes);
      else if (content.type === 'file') {
        await copyLarge(output, method === 8 ? spill : content.file);
        await rm(spill, { force: true });
      }
      members.push(member);
      const seen = type === 'symlink' ? 0 : sizeBytes;
      entries.push({ path, type, sizeBytes: seen, mode, linkname, sha256, origin, md5: null });
    }
    output.write(encodeDirectory({ members, time: mtime, start: output.sizeBytes, comment: comment ?? '' }));
    return entries;
  });
  return written.finally(() => deflaters.end());
}

async function packSmall(input: PackInput, deflaters: Deflaters): Promise<Packed> {
  const { content } = input;
  if (content.type === 'symlink') {
    const packed = await packBytes(input, Buffer.from(content.linkname), deflaters);
    return { ...packed, type: 'symlink', linkname: content.linkname };
  }
  const bytes = loadSmall(input);
  if (bytes !== null) return packBytes(input, bytes, deflaters);
  const type = content.type === 'folder' ? 'folder' : 'file';
  const sizeBytes = contentSize(input) ?? 0;
  const none = type === 'folder' ? new Uint8Array() : null;
  return { input, type, method: 0, crc32: 0, sizeBytes, packedBytes: 0, sha256: null, linkname: null, bytes: none };
}

async function packBytes(input: PackInput, bytes: Uint8Array, deflaters: Deflaters): Promise<Packed> {
  const mayShrink = bytes.byteLength >= worthDeflating && !isDense(bytes);
  const work = mayShrink ? deflaters.deflate(bytes) : null;
  const facts = { crc32: crc32(bytes), sha256: sha256Of(bytes), sizeBytes: bytes.byteLength };
  const deflated = await work;
  const isSmaller = deflated !== null && deflated.length < bytes.byteLength;
  const kept = isSmaller ? deflated : bytes;
  return {
    input,
    ...facts,
    type: 'file',
    method: isSmaller ? 8 : 0,
    packedBytes: kept.byteLength,
    linkname: null,
    bytes: kept,
  };
}

/** Deflates a large file into a spill file beside the archive: its packed size must be known before its header. */
async function packLarge({
  input,
  file,
  sizeBytes,
  spill,
}: {
  readonly input: PackInput;
  readonly file: string;
  readonly sizeBytes: number;
  readonly spill: string;
}): Promise<Packed> {
  const hash = createHash('sha256');
  let checksum = 0;
  let packedBytes = 0;
  const watched = async function* () {
    for await (const chunk of readLarge(input, { file, sizeBytes })) {
      hash.update(chunk);
      checksum = crc32(chunk, checksum);
      yield chunk;
    }
  };
  const handle = await open(spill, 'wx', 0o600);
  try {
    for await (const chunk of deflateBlocks(watched())) {
      packedBytes += chunk.length;
      await handle.writeFile(chunk);
    }
  } finally {
    await handle.close();
  }
  const isSmaller = packedBytes < sizeBytes;
  return {
    input,
    type: 'file',
    method: isSmaller ? 8 : 0,
    crc32: checksum,
    sha256: hash.digest('hex'),
    sizeBytes,
    packedBytes: isSmaller ? packedBytes : sizeBytes,
    linkname: null,
    bytes: null,
  };
}

async function copyLarge(output: OutputFile, file: string): Promise<void> {
  for await (const chunk of createReadStream(file, { highWaterMark: wholeBytes })) output.write(chunk);
}
