import { existsSync, readdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { crc32, deflateRawSync, gzipSync } from 'node:zlib';
import { describe, expect, it } from 'vitest';
import { extractArchive } from '../../src/world/archive/extract.ts';
import { readArchive } from '../../src/world/archive/read-archive.ts';
import { temporaryFolder } from '../builders/repository.ts';

/** A member as its two headers have it; what is not given is what a plain writer would write. */
type Member = {
  readonly name?: string | Buffer;
  readonly text?: string;
  readonly packed?: boolean;
  readonly flags?: number;
  readonly extra?: Buffer;
  readonly mode?: number;
  /** Numbers at places of the local header, of the directory's record. */
  readonly local?: Readonly<Record<number, number>>;
  readonly central?: Readonly<Record<number, number>>;
  /** Bytes behind those of the member. */
  readonly behind?: Buffer;
  /** Bytes behind the packed ones that still count as theirs. */
  readonly rest?: Buffer;
  readonly isListed?: boolean;
};

type End = {
  readonly count?: number;
  readonly comment?: string;
  readonly large?: Partial<Record<'count' | 'at', number>>;
  readonly before?: Buffer;
  readonly between?: Buffer;
};

function zip(
  members: readonly Member[],
  { count, comment = '', large, before = Buffer.alloc(0), between = Buffer.alloc(0) }: End = {},
): Buffer {
  const parts: Buffer[] = [before];
  const directory: Buffer[] = [];
  let at = before.length;
  for (const {
    name = 'a.txt',
    text = 'tide',
    packed = false,
    flags = 0,
    extra = Buffer.alloc(0),
    mode = 0o100644,
    behind,
    rest,
    isListed = true,
    ...more
  } of members) {
    const bytes = Buffer.concat([packed ? deflateRawSync(text) : Buffer.from(text), rest ?? Buffer.alloc(0)]);
    const title = Buffer.from(name);
    const common = Buffer.alloc(26);
    common.writeUInt16LE(20, 0);
    common.writeUInt16LE(flags, 2);
    common.writeUInt16LE(packed ? 8 : 0, 4);
    common.writeUInt32LE(0x5a210000, 6);
    common.writeUInt32LE(crc32(text), 10);
    common.writeUInt32LE(bytes.length, 14);
    common.writeUInt32LE(Buffer.byteLength(text), 18);
    common.writeUInt16LE(title.length, 22);
    common.writeUInt16LE(extra.length, 24);
    const local = Buffer.concat([Buffer.from('PK\x03\x04', 'latin1'), common, title, extra]);
    for (const [place, value] of Object.entries(more.local ?? {})) write(local, Number(place), value);
    const central = Buffer.concat([
      Buffer.from('PK\x01\x02\x14\x03', 'latin1'),
      common,
      Buffer.alloc(14),
      title,
      extra,
    ]);
    central.writeUInt32LE((mode << 16) >>> 0, 38);
    central.writeUInt32LE(at, 42);
    for (const [place, value] of Object.entries(more.central ?? {})) write(central, Number(place), value);
    const all = Buffer.concat([local, bytes, behind ?? Buffer.alloc(0)]);
    parts.push(all);
    at += all.length;
    if (isListed) directory.push(central);
  }
  parts.push(between);
  at += between.length;
  const listed = Buffer.concat(directory);
  const end = Buffer.alloc(22);
  end.write('PK\x05\x06', 0, 'latin1');
  end.writeUInt16LE(count ?? directory.length, 8);
  end.writeUInt16LE(count ?? directory.length, 10);
  end.writeUInt32LE(listed.length, 12);
  end.writeUInt32LE(at, 16);
  end.writeUInt16LE(comment.length, 20);
  return Buffer.concat([
    ...parts,
    listed,
    large === undefined ? Buffer.alloc(0) : largeEnd(directory.length, listed.length, at, large),
    end,
    Buffer.from(comment, 'latin1'),
  ]);
}

function largeEnd(count: number, size: number, at: number, large: NonNullable<End['large']>): Buffer {
  const record = Buffer.alloc(76);
  record.write('PK\x06\x06', 0, 'latin1');
  record.writeBigUInt64LE(44n, 4);
  for (const place of [24, 32]) record.writeBigUInt64LE(BigInt(large.count ?? count), place);
  record.writeBigUInt64LE(BigInt(size), 40);
  record.writeBigUInt64LE(BigInt(at), 48);
  record.write('PK\x06\x07', 56, 'latin1');
  record.writeBigUInt64LE(BigInt.asUintN(64, BigInt(large.at ?? at + size)), 64);
  record.writeUInt32LE(1, 72);
  return record;
}

/** Two bytes for a small place of two, four for the others. */
function write(bytes: Buffer, place: number, value: number): void {
  if (value > 0xffff || [14, 16, 18, 20, 22, 24].includes(place)) bytes.writeUInt32LE(value, place);
  else bytes.writeUInt16LE(value, place);
}

function descriptor(text: string, sizeBytes: number, { isSigned = true, isLarge = false } = {}): Buffer {
  const bytes = Buffer.alloc(isLarge ? 24 : 16);
  bytes.write('PK\x07\x08', 0, 'latin1');
  bytes.writeUInt32LE(crc32(text), 4);
  for (const place of isLarge ? [8, 16] : []) bytes.writeBigUInt64LE(BigInt(sizeBytes), place);
  for (const place of isLarge ? [] : [8, 12]) bytes.writeUInt32LE(sizeBytes, place);
  return isSigned ? bytes : bytes.subarray(4);
}

/** The Unicode path field (APPNOTE.TXT §4.6.9). */
function unicodeName(name: string): Buffer {
  const text = Buffer.from(name);
  const field = Buffer.alloc(9 + text.length);
  field.writeUInt16LE(0x7075, 0);
  field.writeUInt16LE(5 + text.length, 2);
  field[4] = 1;
  text.copy(field, 9);
  return field;
}

const later = { flags: 8, local: { 14: 0, 18: 0, 22: 0 } };
const hidden = { name: 'hidden.txt', text: 'other', isListed: false };

async function readBytes(bytes: Buffer, name = 'x.zip') {
  const file = path.join(temporaryFolder(), name);
  writeFileSync(file, bytes);
  return readArchive(file);
}

describe('a zip that readers would understand differently', () => {
  it.each<[string, Buffer, RegExp, Buffer]>([
    ['counts one entry more', zip([{}], { count: 2 }), /has 1 entries and its end says 2/, zip([{}], { count: 1 })],
    ['gives two methods', zip([{ local: { 8: 8 } }]), /two methods/, zip([{ local: { 8: 0 } }])],
    [
      'gives two names',
      zip([{ name: 'a.txt', local: { 30: 0x6262 } }]),
      /two names/,
      zip([{ name: 'bb.txt', local: { 30: 0x6262 } }]),
    ],
    [
      'marks the name in one header only',
      zip([{ local: { 6: 0x0800 } }]),
      /two sets of flags/,
      zip([{ flags: 0x0800 }]),
    ],
    [
      'gives another size behind the bytes',
      zip([{ ...later, behind: descriptor('tide', 5) }]),
      /bytes behind a.txt/,
      zip([{ ...later, behind: descriptor('tide', 4) }]),
    ],
    [
      'gives nothing behind the bytes',
      zip([{ ...later }, { name: 'b' }]),
      /bytes behind a.txt/,
      zip([{ ...later, behind: descriptor('tide', 4, { isSigned: false }) }, { name: 'b' }]),
    ],
    [
      'gives another large size behind the bytes',
      zip([{ ...later, behind: descriptor('tide', 2 ** 33, { isLarge: true }) }]),
      /bytes behind/,
      zip([{ ...later, behind: descriptor('tide', 4, { isLarge: true }) }]),
    ],
    [
      'has another count in its zip64 record',
      zip([{}], { large: { count: 2 } }),
      /contradict/,
      zip([{}], { large: {} }),
    ],
    [
      'hides an entry between two',
      zip([{}, hidden, { name: 'b.txt' }]),
      /hides an entry/,
      zip([{ behind: Buffer.alloc(70_000) }, { name: 'b.txt' }]),
    ],
    ['hides an entry before the first', zip([hidden, {}]), /hides an entry/, zip([{}])],
    [
      'hides an entry behind the last',
      zip([{}, hidden]),
      /hides an entry/,
      zip([{}], { between: Buffer.from('a block of signatures') }),
    ],
    [
      'has a second end in its comment',
      zip([{}], { comment: `PK\x05\x06${'\0'.repeat(18)}` }),
      /stands before or behind/,
      zip([{}], { comment: 'tides of 2026' }),
    ],
    [
      'has bytes behind packed ones',
      zip([{ packed: true, rest: Buffer.from('more') }]),
      /hidden behind those of a.txt/,
      zip([{ packed: true }]),
    ],
    [
      'has bytes behind many packed ones',
      zip([{ packed: true, text: 'x'.repeat(400_000), rest: Buffer.from('more') }]),
      /hidden behind those of a.txt/,
      zip([{ packed: true, text: 'x'.repeat(400_000) }]),
    ],
    [
      'has a name that is no UTF-8',
      zip([{ name: Buffer.from([0x61, 0xff]), flags: 0x0800 }]),
      /not valid UTF-8/,
      zip([{ name: 'höhe.txt', flags: 0x0800 }]),
    ],
    [
      'has a name in overlong UTF-8',
      zip([{ name: Buffer.from([0xc0, 0xaf, 0x61]), flags: 0x0800 }]),
      /not valid UTF-8/,
      zip([{ name: '/a'.slice(1), flags: 0x0800 }]),
    ],
    [
      'has letters of no known alphabet',
      zip([{ name: Buffer.from([0x94, 0x61]) }]),
      /neither ASCII nor marked/,
      zip([{ name: Buffer.from([0x94, 0x61]), extra: unicodeName('öa') }]),
    ],
    [
      'has another name in its Unicode field',
      zip([{ extra: unicodeName('b.txt') }]),
      /another name/,
      zip([{ extra: unicodeName('a.txt') }]),
    ],
    [
      'is a folder by its mode only',
      zip([{ mode: 0o040755 }]),
      /folder by its mode/,
      zip([{ name: 'a/', text: '', mode: 0o040755 }]),
    ],
    [
      'has bytes between its directory and its end',
      Buffer.concat([zip([{}]).subarray(0, -22), Buffer.from('more'), zip([{}]).subarray(-22)]),
      /stands before or behind/,
      zip([{}]),
    ],
  ])('that %s is refused, and one that does not is read', async (_, bytes, why, plain) => {
    await expect(readBytes(bytes)).rejects.toMatchObject({
      code: 'ARCHIVE_AMBIGUOUS',
      why: expect.stringMatching(why),
    });
    expect((await readBytes(plain)).entries.length).toBeGreaterThan(0);
  });

  it.each([
    ['outside the file', 2 ** 40],
    ['before its beginning', -1],
    ['at a place beyond all bounds', 2 ** 63],
  ])('with a zip64 locator that points %s ends in an error', async (_, at) => {
    await expect(readBytes(zip([{}], { large: { at } }))).rejects.toMatchObject({ code: 'ARCHIVE_DAMAGED' });
  });
});

describe('a name that says something else than the bytes', () => {
  const tgz = gzipSync(Buffer.alloc(1024));
  it.each([
    ['a zip archive named .tgz', 'x.tgz', zip([{}]), 'ARCHIVE_AMBIGUOUS'],
    ['a gzipped tar named .zip', 'x.zip', tgz, 'ARCHIVE_AMBIGUOUS'],
    ['a zip archive named .deb', 'x.deb', zip([{}]), 'ARCHIVE_AMBIGUOUS'],
    ['a text named .whl', 'x.whl', Buffer.from('tide'), 'ARCHIVE_DAMAGED'],
  ])('%s is refused', async (_, name, bytes, code) => {
    await expect(readBytes(bytes, name)).rejects.toMatchObject({ code });
  });

  it('does not matter where the name says nothing', async () => {
    expect((await readBytes(zip([{}]), 'download')).container).toBe('zip');
  });
});

function tarHeader(name: string, sizeBytes: number, typeflag = '0', linkname = ''): Buffer {
  const block = Buffer.alloc(512);
  block.write(name, 0);
  block.write('0000644\x000000000\x000000000\0', 100);
  block.write(`${sizeBytes.toString(8).padStart(11, '0')}\0`, 124);
  block.write('00000000000\0        ', 136);
  block.write(typeflag, 156);
  block.write(linkname, 157);
  block.write('ustar\x0000', 257, 'latin1');
  const sum = block.reduce((total, byte) => total + byte, 0);
  block.write(`${sum.toString(8).padStart(6, '0')}\0 `, 148);
  return block;
}

function tarFile(name: string, text: string): Buffer {
  return Buffer.concat([
    tarHeader(name, Buffer.byteLength(text)),
    Buffer.from(text),
    Buffer.alloc((512 - (Buffer.byteLength(text) % 512)) % 512),
  ]);
}

function pax(typeflag: 'x' | 'g', record: string): Buffer {
  const length = record.length + 4;
  const text = `${String(length).length === 2 ? length : length + 1} ${record}\n`;
  return Buffer.concat([tarHeader('pax', text.length, typeflag), Buffer.from(text), Buffer.alloc(512 - text.length)]);
}

describe('a tar that readers would understand differently', () => {
  const [file, other, end] = [tarFile('a/x', 'tide'), tarFile('a/y', 'moon'), Buffer.alloc(1024)];
  it.each<[string, Buffer[], RegExp, Buffer[]]>([
    ['goes on behind its end', [file, end, other, end], /stands behind its end/, [file, end, Buffer.alloc(9216)]],
    [
      'goes on behind one empty block',
      [file, Buffer.alloc(512), other, end],
      /stands behind its end/,
      [file, Buffer.alloc(512)],
    ],
    [
      'gives a file two sizes',
      [pax('x', 'size=3'), file, end],
      /4 bytes by its header and 3 by the extended one/,
      [pax('x', 'size=4'), file, end],
    ],
    [
      'names all its files at once',
      [pax('g', 'path=a/z'), file, end],
      /gives the path of all entries/,
      [pax('g', 'comment=tide'), file, end],
    ],
  ])('that %s is refused, and one that does not is read', async (_, parts, why, plain) => {
    await expect(readBytes(gzipSync(Buffer.concat(parts)), 'x.tgz')).rejects.toMatchObject({
      code: 'ARCHIVE_AMBIGUOUS',
      why: expect.stringMatching(why),
    });
    expect((await readBytes(gzipSync(Buffer.concat(plain)), 'x.tgz')).entries).toHaveLength(1);
  });
});

describe('extracting links', () => {
  const link = (name: string, target: string) => tarHeader(name, 0, '2', target);
  it.each([
    ['an empty target', [link('a/l', '')]],
    ['a loop', [link('a/l', 'm'), link('a/m', 'l')]],
    ['a link to itself', [link('a/l', 'l')]],
    ['a chain that leads out', [link('a/l', 'm'), link('a/m', '../..')]],
    ['a path of a folder', [link('a/l/', 'm')]],
    ['a file below a link', [link('a/l', 'm'), tarFile('a/l/x', 'tide')]],
    ['a chain of a hundred links', Array.from({ length: 100 }, (_, at) => link(`a/${at}`, String(at + 1)))],
  ])('with %s is refused, and leaves nothing', async (_, parts) => {
    const folder = temporaryFolder();
    const archive = path.join(folder, 'x.tar.gz');
    writeFileSync(archive, gzipSync(Buffer.concat([tarFile('a/x', 'tide'), ...parts, Buffer.alloc(1024)])));

    await expect(extractArchive(archive, path.join(folder, 'out'))).rejects.toMatchObject({ code: 'EXTRACT_UNSAFE' });
    expect(readdirSync(folder)).toEqual(['x.tar.gz']);
  });
});

it.runIf(existsSync('/proc/self/fd'))('an archive that is refused stays open nowhere', async () => {
  const open = () => readdirSync('/proc/self/fd').length;
  const before = open();
  const bytes = gzipSync(Buffer.concat([tarFile('a/x', 'tide'), Buffer.alloc(512, 'x')]));
  for (let round = 0; round < 50; round++)
    await expect(readBytes(bytes, 'x.tgz')).rejects.toMatchObject({ code: 'ARCHIVE_DAMAGED' });

  await expect.poll(open, { timeout: 60_000 }).toBeLessThan(before + 20);
});
