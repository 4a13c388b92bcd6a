import { createReadStream } from 'node:fs';
import { rm, stat } from 'node:fs/promises';
import type { PackedEntry } from '../../core/contents/entry.ts';
import { arMark, encodeArHeader } from '../../core/form/ar-header.ts';
import type { PackedSoFar } from '../../core/form/plan.ts';
import { writeStream } from '../files.ts';
import { gzip } from './gzip.ts';
import { OutputFile, type WrittenArchive } from './output-file.ts';
import type { PackInput } from './pack-input.ts';
import { tarBytes } from './write-tar.ts';

/**
 * Writes a Debian package (deb(5), format 2.0): mark, control archive, data archive. The data archive is packed first,
 * beside the file, since the control archive lists its digests.
 * @param mtime seconds since 1970.
 */
export async function writeDeb({
  file,
  control,
  data,
  mtime,
}: {
  readonly file: string;
  readonly control: readonly PackInput[];
  readonly data: Iterable<PackInput>;
  readonly mtime: number;
}): Promise<WrittenArchive> {
  const spill = `${file}.data`;
  try {
    const packed: PackedSoFar[] = [];
    const keep = (entry: PackedSoFar) => packed.push(entry);
    await writeStream(spill, gzip(tarBytes(data, { mtime, md5: true }, keep)), { flags: 'wx' });
    const made = control.map((pack) =>
      pack.content.type === 'made'
        ? { ...pack, content: { type: 'bytes' as const, bytes: pack.content.make(packed) } }
        : pack,
    );
    const parts: Uint8Array[] = [];
    for await (const chunk of gzip(tarBytes(made, { mtime }, () => {}))) parts.push(chunk);
    const controlBytes = Buffer.concat(parts);
    const { size } = await stat(spill);
    return await OutputFile.fill(file, async (output) => {
      output.write(arMark);
      await writeMember({ output, name: 'debian-binary', chunks: [Buffer.from('2.0\n')], sizeBytes: 4, mtime });
      await writeMember({
        output,
        name: 'control.tar.gz',
        chunks: [controlBytes],
        sizeBytes: controlBytes.length,
        mtime,
      });
      await writeMember({ output, name: 'data.tar.gz', chunks: createReadStream(spill), sizeBytes: size, mtime });
      // The path in the package is the path on the system, without the leading `./` of deb(5).
      return packed.flatMap(({ md5: _, ...entry }): PackedEntry[] =>
        entry.path === './' ? [] : [{ ...entry, path: entry.path.replace(/^\.\//, '') }],
      );
    });
  } finally {
    await rm(spill, { force: true });
  }
}

async function writeMember({
  output,
  name,
  chunks,
  sizeBytes,
  mtime,
}: {
  readonly output: OutputFile;
  readonly name: string;
  readonly chunks: Iterable<Uint8Array> | AsyncIterable<Uint8Array>;
  readonly sizeBytes: number;
  readonly mtime: number;
}): Promise<void> {
  output.write(encodeArHeader(name, sizeBytes, mtime));
  for await (const chunk of chunks) output.write(chunk);
  if (sizeBytes % 2 === 1) output.write(Buffer.from('\n'));
}
