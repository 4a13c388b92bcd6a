import { createReadStream } from 'node:fs';
import { type FileHandle, open } from 'node:fs/promises';
import { Readable } from 'node:stream';
import { Ambiguity } from '../../core/form/ambiguity.ts';
import { arMark, decodeArHeader } from '../../core/form/ar-header.ts';
import type { ArchiveBudget } from './budget.ts';
import type { ContainerReader } from './container.ts';
import { damaged } from './read-errors.ts';
import { gunzip, readTar } from './read-tar.ts';

const headerBytes = 60;
const maxMembers = 64;

type ArMember = { readonly name: string; readonly start: number; readonly sizeBytes: number };

/** Reads a Debian package (deb(5)): its control archive's texts, and its data archive's entries at their places on the system. */
export const readDeb: ContainerReader = async (file, watcher, budget) => {
  const members = await readMembers(file);
  const find = (name: string) => {
    const [first, second] = members.filter((member) => member.name === name || member.name.startsWith(`${name}.`));
    if (second !== undefined) throw new Ambiguity(`it has ${first?.name} and ${second.name}`);
    return first;
  };
  const [control, data] = [find('control.tar'), find('data.tar')];
  if (members[0]?.name !== 'debian-binary' || control === undefined || data === undefined)
    throw damaged(file, 'it is an ar archive without the three members of a Debian package');
  const wantsAll = { wants: () => true };
  const controlRead = await readTar({ source: await openMember(file, control, budget), watcher: wantsAll, budget });
  const texts = [...controlRead.kept].map(
    ([name, bytes]) => [name.replace(/^\.\//, ''), bytes.toString('utf8')] as const,
  );
  const dataRead = await readTar({
    source: await openMember(file, data, budget),
    watcher,
    budget,
    rename: placeOnSystem,
  });
  return { ...dataRead, control: new Map(texts) };
};

function placeOnSystem(path: string): string | null {
  const place = path.replace(/^(?:\.?\/)+/, '');
  return place === '' || place === '.' ? null : place;
}

async function readMembers(file: string): Promise<ArMember[]> {
  const handle = await open(file);
  try {
    const { size } = await handle.stat();
    const members: ArMember[] = [];
    for (let at = arMark.length; at < size && members.length < maxMembers; ) {
      const member = await readHeader(handle, at, file);
      const end = member.start + member.sizeBytes;
      if (end > size) throw damaged(file, `${member.name} is cut off`);
      members.push(member);
      at = end + (end % 2);
    }
    return members;
  } finally {
    await handle.close();
  }
}

async function readHeader(handle: FileHandle, at: number, file: string): Promise<ArMember> {
  const header = Buffer.alloc(headerBytes);
  const { bytesRead } = await handle.read(header, 0, headerBytes, at);
  const decoded = decodeArHeader(header.subarray(0, bytesRead));
  if (decoded === null) throw damaged(file, `there is no member's header at byte ${at}`);
  return { ...decoded, start: at + headerBytes };
}

/** The member's bytes and what unpacks them, by the ending of its name. */
async function openMember(
  file: string,
  { name, start, sizeBytes }: ArMember,
  budget: ArchiveBudget,
): Promise<AsyncIterable<Buffer>> {
  const source =
    sizeBytes === 0
      ? Readable.from([])
      : createReadStream(file, { start, end: start + sizeBytes - 1, highWaterMark: 1 << 18 });
  const ending = /\.tar\.?(\w*)$/.exec(name)?.[1] ?? '';
  if (ending === '') return source;
  if (ending === 'gz') return gunzip(source);
  if (ending === 'xz') return closing(source, (await import('./unpack-xz.ts')).unpackXz(source));
  if (ending === 'zst') return unpackZstandard(source, budget);
  source.destroy();
  throw damaged(file, `${name} is packed in a way that deb(5) does not know`);
}

/** The same pieces; the file behind them is closed when they end, or when no more of them are wanted. */
async function* closing(source: Readable, pieces: AsyncIterable<Buffer>): AsyncGenerator<Buffer> {
  try {
    yield* pieces;
  } finally {
    source.destroy();
  }
}

/** RFC 8878, in pieces as they come. */
async function* unpackZstandard(source: AsyncIterable<Uint8Array>, budget: ArchiveBudget): AsyncGenerator<Buffer> {
  const { Decompress } = await import('fzstd');
  let ready: Buffer[] = [];
  const stream = new Decompress((chunk) => {
    budget.refuseSize(chunk.byteLength);
    ready.push(Buffer.from(chunk));
  });
  for await (const chunk of source) {
    stream.push(chunk);
    yield* ready;
    ready = [];
  }
  stream.push(new Uint8Array(), true);
  yield* ready;
}
