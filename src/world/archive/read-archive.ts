import { open, stat } from 'node:fs/promises';
import { ArchiveBudget, type ReadLimits, readLimitsInForce } from './budget.ts';
import type { ContainerReader, ReadArchive, ReadContainer, ReadContents } from './container.ts';
import type { EntryWatcher } from './entry-watcher.ts';
import { fileDigest } from './file-digest.ts';
import { ambiguous, damaged, translateReadError, unknownForm } from './read-errors.ts';

/**
 * Reads an archive of any kind: entries with a digest of each, and the file's own digests. Memory stays flat whatever is in it.
 * @throws ARCHIVE_UNKNOWN for other files, ARCHIVE_DAMAGED for anything truncated, malformed or contradicting itself,
 * ARCHIVE_TOO_LARGE beyond the limits, ARCHIVE_ENCRYPTED, FILE_NOT_FOUND.
 */
export async function readArchive(
  file: string,
  watcher: EntryWatcher = {},
  limits: ReadLimits = readLimitsInForce(),
): Promise<ReadArchive> {
  let budget: ArchiveBudget | null = null;
  try {
    const { size } = await stat(file);
    const container = await containerOf(file);
    const opened = new ArchiveBudget(file, size, limits);
    budget = opened;
    const [contents, sha256] = await Promise.all([
      readContents({ container, file, watcher, budget: opened }),
      fileDigest(file, size, (stop) => opened.atEnd(stop)),
    ]);
    if (contents.entries.length === 0) throw damaged(file, 'it holds no entry');
    return { container, ...contents, sizeBytes: size, sha256 };
  } catch (error) {
    throw translateReadError(error, file);
  } finally {
    budget?.end();
  }
}

/** Reads any file as one entry with its own name, whatever is in it. @throws FILE_NOT_FOUND */
export async function readWholeFile(file: string, watcher: EntryWatcher = {}): Promise<ReadArchive> {
  try {
    const { size } = await stat(file);
    const limits = readLimitsInForce();
    const budget = new ArchiveBudget(file, size, { ...limits, unpackedBytes: Math.max(size, limits.unpackedBytes) });
    const contents = await readContents({ container: 'text', file, watcher, budget });
    return { container: 'text', ...contents, sizeBytes: size, sha256: contents.entries[0]?.sha256 ?? '' };
  } catch (error) {
    throw translateReadError(error, file);
  }
}

/** @throws ARCHIVE_UNKNOWN */
async function containerOf(file: string): Promise<ReadContainer> {
  const handle = await open(file);
  try {
    const head = Buffer.alloc(512);
    const { bytesRead } = await handle.read(head, 0, head.length, 0);
    const found = containerByHead(head.subarray(0, bytesRead));
    const named = containerByName(file);
    if (found === null) throw named === null ? unknownForm(file) : damaged(file, 'it does not begin as its name says');
    if (named !== null && named !== found)
      throw ambiguous(file, `its name is that of a ${named} file, and its bytes are those of a ${found} file`);
    return found;
  } finally {
    await handle.close();
  }
}

/** What a reader expects that goes by the name; null for a name that says nothing. */
function containerByName(file: string): ReadContainer | null {
  const ending = /\.(tgz|tar\.gz|crate|tar|whl|zip|jar|war|ear|nupkg|snupkg|deb|pom)$/i.exec(file)?.[1]?.toLowerCase();
  return ending === undefined ? null : (namedContainers[ending] ?? 'zip');
}

const namedContainers: Readonly<Record<string, ReadContainer>> = {
  tgz: 'tar.gz',
  crate: 'tar.gz',
  'tar.gz': 'tar.gz',
  tar: 'tar',
  deb: 'deb',
  pom: 'text',
};

function containerByHead(head: Buffer): ReadContainer | null {
  if (head.length >= 2 && head[0] === 0x1f && head[1] === 0x8b) return 'tar.gz';
  // PK with an entry, with an empty directory, or with a spanned archive's mark (APPNOTE.TXT §4.3.7, §4.3.16, §8.5.5).
  if (/^PK(?:\x03\x04|\x05\x06|\x07\x08)/.test(head.toString('latin1', 0, 4))) return 'zip';
  if (head.toString('latin1', 0, 8) === '!<arch>\n') return 'deb';
  if (head.length >= 512 && head.toString('latin1', 257, 262) === 'ustar') return 'tar';
  return /^\ufeff?\s*<(?:\?xml\b|project\b|!--|!doctype\b)/i.test(head.toString('utf8')) ? 'text' : null;
}

const readers: Readonly<Record<ReadContainer, () => Promise<ContainerReader>>> = {
  'tar.gz': async () => (await import('./read-tar.ts')).readTarGz,
  tar: async () => (await import('./read-tar.ts')).readPlainTar,
  zip: async () => (await import('./read-zip.ts')).readZip,
  deb: async () => (await import('./read-deb.ts')).readDeb,
  text: async () => (await import('./read-text.ts')).readTextFile,
};

async function readContents({
  container,
  file,
  watcher,
  budget,
}: {
  readonly container: ReadContainer;
  readonly file: string;
  readonly watcher: EntryWatcher;
  readonly budget: ArchiveBudget;
}): Promise<ReadContents> {
  const read = await readers[container]();
  return read(file, watcher, budget);
}
