import { createHash } from 'node:crypto';
import type { PackedEntry } from '../../core/contents/entry.ts';
import type { PackedSoFar } from '../../core/form/plan.ts';
import { encodeTarComment, encodeTarHeader, endOfArchive, padding } from '../../core/form/tar-header.ts';
import { gzip } from './gzip.ts';
import { OutputFile, type WrittenArchive } from './output-file.ts';
import { loadSmall, type PackInput, readLarge, sha256Of, wholeBytes } from './pack-input.ts';

/** How a tar archive is written. */
export type TarOptions = {
  /** Seconds since 1970, for every entry. */
  readonly mtime: number;
  /** What a global header says of all of it; null for none. */
  readonly comment?: string | null;
  /** Whether Debian's digest is taken too. */
  readonly md5?: boolean;
};

/**
 * Writes a gzipped tar of the inputs in their order, all with one time. The file is flushed to disk.
 * @throws FILE_CHANGED when a file is not as long as it was when it was selected.
 */
export async function writeTarGz(
  file: string,
  inputs: Iterable<PackInput>,
  options: TarOptions,
): Promise<WrittenArchive> {
  return OutputFile.fill(file, async (output) => {
    const entries: PackedEntry[] = [];
    const keep = (entry: PackedSoFar) => entries.push(entry);
    for await (const chunk of gzip(tarBytes(inputs, options, keep))) output.write(chunk);
    return entries;
  });
}

/**
 * The bytes of a tar archive. A piece is valid until the next one is asked for: small files share their memory.
 * @param packed gets every entry once it has gone by.
 */
export async function* tarBytes(
  inputs: Iterable<PackInput>,
  { mtime, comment = null, md5 = false }: TarOptions,
  packed: (entry: PackedSoFar) => void,
): AsyncGenerator<Uint8Array> {
  if (comment !== null) yield encodeTarComment(comment, mtime);
  const before: PackedSoFar[] = [];
  const space = Buffer.allocUnsafe(wholeBytes + 1);
  for (const input of inputs) {
    const bytes = loadSmall(input, space);
    const { path, mode, origin, content } = input;
    const base = { path, mode, mtime, linkname: '' };
    const done = ({
      type,
      sizeBytes,
      sha256,
      more,
    }: {
      readonly type: PackedEntry['type'];
      readonly sizeBytes: number;
      readonly sha256: string | null;
      readonly more?: Partial<PackedSoFar>;
    }) => {
      const entry: PackedSoFar = { path, type, sizeBytes, mode, linkname: null, sha256, origin, md5: null, ...more };
      before.push(entry);
      packed(entry);
    };
    if (content.type === 'folder') {
      yield encodeTarHeader({ ...base, type: 'folder', sizeBytes: 0 });
      done({ type: 'folder', sizeBytes: 0, sha256: null });
    } else if (content.type === 'symlink') {
      yield encodeTarHeader({ ...base, type: 'symlink', sizeBytes: 0, linkname: content.linkname });
      done({ type: 'symlink', sizeBytes: 0, sha256: sha256Of(content.linkname), more: { linkname: content.linkname } });
    } else if (bytes === null && content.type === 'file') {
      const { sizeBytes } = content;
      const [sha, md] = [createHash('sha256'), md5 ? createHash('md5') : null];
      yield encodeTarHeader({ ...base, type: 'file', sizeBytes });
      for await (const chunk of readLarge(input, content)) {
        sha.update(chunk);
        md?.update(chunk);
        yield chunk;
      }
      yield padding(sizeBytes);
      done({ type: 'file', sizeBytes, sha256: sha.digest('hex'), more: { md5: md?.digest('hex') ?? null } });
    } else {
      const whole = bytes ?? (content.type === 'made' ? content.make(before) : new Uint8Array());
      yield encodeTarHeader({ ...base, type: 'file', sizeBytes: whole.byteLength });
      yield whole;
      yield padding(whole.byteLength);
      const digest = md5 ? createHash('md5').update(whole).digest('hex') : null;
      done({ type: 'file', sizeBytes: whole.byteLength, sha256: sha256Of(whole), more: { md5: digest } });
    }
  }
  yield endOfArchive();
}
