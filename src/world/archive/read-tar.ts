import { createReadStream } from 'node:fs';
import { pipeline } from 'node:stream/promises';
import { createGunzip } from 'node:zlib';
import { extract, type Header } from 'tar-stream';
import type { Entry } from '../../core/contents/entry.ts';
import { decodeTarComment } from '../../core/form/tar-header.ts';
import type { ArchiveBudget } from './budget.ts';
import type { ContainerReader, ReadContents } from './container.ts';
import { EntryCollector, type EntryHeader, type EntryWatcher } from './entry-watcher.ts';

const chunkBytes = 1 << 20;

/** Reads a gzipped tar, streaming. */
export const readTarGz: ContainerReader = async (file, watcher, budget) => {
  const source = createReadStream(file, { highWaterMark: chunkBytes });
  // Small chunks cost more to pass on than to unpack.
  return readTar([source, createGunzip({ chunkSize: chunkBytes })], watcher, budget);
};

/** Reads a plain tar, streaming. */
export const readPlainTar: ContainerReader = async (file, watcher, budget) =>
  readTar([createReadStream(file, { highWaterMark: chunkBytes })], watcher, budget);

/**
 * Reads a tar at the end of some streams, once.
 * @param rename gives an entry its path, null to pass over it.
 */
export async function readTar(
  streams: readonly (NodeJS.ReadableStream | NodeJS.ReadWriteStream)[],
  watcher: EntryWatcher,
  budget: ArchiveBudget,
  rename: (path: string) => string | null = (path) => path,
): Promise<ReadContents> {
  const collector = new EntryCollector(watcher, budget);
  const reader = extract();
  let comment: string | null = null;
  const read = (async () => {
    for await (const member of reader) {
      const header = member.header as Header;
      const path = rename(header.name);
      const entry = toHeader(header, path ?? '');
      if (path === null || entry.type !== 'file') {
        if (path !== null) collector.add(entry);
        for await (const chunk of member as AsyncIterable<Buffer>) budget.unpacked(chunk.length);
      } else {
        await collector.file(entry, member as AsyncIterable<Buffer>);
      }
    }
  })();
  const watchHead = async function* (source: AsyncIterable<Buffer>) {
    let isFirst = true;
    for await (const chunk of source) {
      if (isFirst) comment = decodeTarComment(chunk);
      isFirst = false;
      yield chunk;
    }
  };
  await Promise.all([pipeline([...streams, watchHead as never, reader]), read]);
  return { entries: collector.entries, kept: collector.kept, comment, control: new Map() };
}

const types: Readonly<Record<string, Entry['type']>> = {
  file: 'file',
  'contiguous-file': 'file',
  directory: 'folder',
  symlink: 'symlink',
  link: 'hardlink',
};

function toHeader(header: Header, path: string): EntryHeader {
  const type = types[header.type ?? 'file'] ?? 'special';
  const names = [header.uname, header.gname].some((name) => (name ?? '') !== '')
    ? ` ${header.uname}:${header.gname}`
    : '';
  return {
    path,
    type,
    sizeBytes: type === 'file' ? (header.size ?? 0) : 0,
    mode: (header.mode ?? 0) & 0o7777,
    linkname: type === 'symlink' || type === 'hardlink' ? (header.linkname ?? '') : null,
    mtime: header.mtime === undefined ? null : Math.floor(header.mtime.getTime() / 1000),
    owner: `${header.uid ?? 0}:${header.gid ?? 0}${names}`,
  };
}
