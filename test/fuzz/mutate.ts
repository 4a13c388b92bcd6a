import { crc32, gunzipSync, gzipSync } from 'node:zlib';

/** Numbers between 0 and 1, the same for the same seed (mulberry32). */
export class Random {
  #state: number;

  constructor(seed: number) {
    this.#state = seed >>> 0;
  }

  next(): number {
    this.#state = (this.#state + 0x6d2b79f5) >>> 0;
    let mixed = Math.imul(this.#state ^ (this.#state >>> 15), 1 | this.#state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 2 ** 32;
  }

  below(limit: number): number {
    return Math.floor(this.next() * limit);
  }

  pick<Item>(items: readonly Item[]): Item {
    const item = items[this.below(items.length)];
    if (item === undefined) throw new Error('there is nothing to pick from');
    return item;
  }
}

const edges = [
  0, 1, 2, 7, 8, 9, 0x7f, 0x80, 0xff, 0x100, 0x7fff, 0x8000, 0xfffe, 0xffff, 0x10000, 0x7fffffff, 0x80000000,
  0xfffffffe, 0xffffffff,
];

/** Bytes with one thing changed: a bit, a number, a cut, a copy of another place. */
export function mutateBytes(bytes: Buffer, random: Random, other: Buffer): Buffer {
  if (bytes.length === 0) return Buffer.from(other);
  const at = random.below(bytes.length);
  const length = 1 + random.below(Math.min(64, bytes.length - at));
  const changed = Buffer.from(bytes);
  switch (random.below(8)) {
    case 0:
      changed[at] = (changed[at] ?? 0) ^ (1 << random.below(8));
      return changed;
    case 1:
      return changed.subarray(0, at);
    case 2:
      return Buffer.concat([changed.subarray(0, at), changed.subarray(at + length)]);
    case 3:
      return Buffer.concat([changed.subarray(0, at), changed.subarray(at, at + length), changed.subarray(at)]);
    case 4:
      return Buffer.concat([changed.subarray(0, at), other.subarray(random.below(other.length + 1))]);
    case 5:
      return changed.fill(random.pick([0, 0xff, 0x20, 0x0a]), at, at + length);
    default:
      return writeNumber(changed, at, random);
  }
}

function writeNumber(bytes: Buffer, at: number, random: Random): Buffer {
  const width = random.pick([1, 2, 4, 8]);
  if (at + width > bytes.length) return bytes;
  const value = BigInt(random.pick(edges)) * (random.below(6) === 0 ? 0x100000001n : 1n);
  const number = Buffer.alloc(8);
  number.writeBigUInt64LE(value & 0xffffffffffffffffn);
  if (random.below(4) === 0) number.subarray(0, width).reverse();
  number.copy(bytes, at, 0, width);
  return bytes;
}

/** A change of a number in one of the headers of a zip archive. */
export function mutateZip(bytes: Buffer, random: Random): Buffer {
  const changed = Buffer.from(bytes);
  const signature = random.pick(['PK\x01\x02', 'PK\x03\x04', 'PK\x05\x06', 'PK\x06\x06', 'PK\x06\x07', 'PK\x07\x08']);
  const places: number[] = [];
  for (let at = bytes.indexOf(signature, 0, 'latin1'); at !== -1; at = bytes.indexOf(signature, at + 1, 'latin1'))
    places.push(at);
  if (places.length === 0) return mutateBytes(bytes, random, bytes);
  return writeNumber(changed, random.pick(places) + 4 + random.below(44), random);
}

/** A change in a header of a tar archive, with a checksum that fits again. */
export function mutateTar(bytes: Buffer, random: Random): Buffer {
  const changed = Buffer.from(bytes);
  const at = random.below(Math.max(1, Math.floor(bytes.length / 512))) * 512;
  if (at + 512 > bytes.length) return changed;
  const field = random.pick([
    [0, 100],
    [100, 8],
    [108, 8],
    [116, 8],
    [124, 12],
    [136, 12],
    [156, 1],
    [157, 100],
    [257, 8],
    [345, 155],
  ] as const);
  const value = random.pick([
    '',
    '\0',
    '/',
    '../x',
    '77777777777',
    '-1',
    '9',
    '\x80\0\0\0\0\0\0\x01\0\0\0\0',
    '\xff'.repeat(12),
    'L',
    'K',
    'x',
    'g',
    '2',
    '1',
    '5',
    '6',
    'a/'.repeat(60),
    '00000000000\0',
  ]);
  changed.fill(0, at + field[0], at + field[0] + field[1]);
  changed.write(value.slice(0, field[1]), at + field[0], 'latin1');
  changed.fill(0x20, at + 148, at + 156);
  const sum = changed.subarray(at, at + 512).reduce((total, byte) => total + byte, 0);
  changed.write(`${sum.toString(8).padStart(6, '0')}\0 `, at + 148, 'latin1');
  return changed;
}

/** The same inside what gzip packed. */
export function insideGzip(
  change: (bytes: Buffer, random: Random) => Buffer,
): (bytes: Buffer, random: Random) => Buffer {
  return (bytes, random) => {
    try {
      return gzipSync(change(gunzipSync(bytes), random), { level: 1 });
    } catch {
      return mutateBytes(bytes, random, bytes);
    }
  };
}

/** A zip with its checksums put right again where files are stored, so that changes of contents get through. */
export function withChecksums(bytes: Buffer): Buffer {
  const changed = Buffer.from(bytes);
  for (
    let at = bytes.indexOf('PK\x01\x02', 0, 'latin1');
    at !== -1 && at + 46 <= bytes.length;
    at = bytes.indexOf('PK\x01\x02', at + 1, 'latin1')
  ) {
    const [size, local] = [bytes.readUInt32LE(at + 20), bytes.readUInt32LE(at + 42)];
    if (bytes.readUInt16LE(at + 10) !== 0 || local + 30 > bytes.length) continue;
    const start = local + 30 + bytes.readUInt16LE(local + 26) + bytes.readUInt16LE(local + 28);
    if (start + size > bytes.length) continue;
    const checksum = crc32(bytes.subarray(start, start + size));
    changed.writeUInt32LE(checksum, at + 16);
    changed.writeUInt32LE(checksum, local + 14);
  }
  return changed;
}

const values = [
  '',
  '""',
  'null',
  '{}',
  '[]',
  '-1',
  '0',
  '1e999',
  'true',
  '"__proto__"',
  '__proto__',
  '"\\u0000"',
  '\u0085',
  '\u202e',
  '"\u0024\u007bx}"',
  '\u0024\u007bproject.version}',
  '*a',
  '&a',
  '<<: *a',
  '[*a, *a, *a, *a]',
  '!!binary x',
  '"../../x"',
  '"*"',
  '"./*"',
  '"#x"',
  '^1.0.0 || >',
  '-----',
  '<![CDATA[',
  ']]>',
  '<!DOCTYPE x [<!ENTITY a "aaaa">]>',
  '&a;',
  '&#x0;',
  '<!--',
  '- '.repeat(300),
  '['.repeat(300),
  '{"a":'.repeat(300),
  '<a>'.repeat(200),
  '  '.repeat(400),
  'x'.repeat(5000),
  '('.repeat(200),
  '\r',
  '\n',
  '\t',
  '\0',
  '99999999999999999999',
  '2026-13-45',
  '"a@b@c"',
  '@',
  '=',
  ':',
  '\\',
  '%s%n',
  '{"toString":0,"valueOf":0}',
  '{ toString = 0 }',
  '{ a: { toString: 1 } }',
  'constructor',
  'toString',
];

/** A text with one part changed: a word replaced by something odd, a line moved, cut or repeated, a part of another text put in. */
export function mutateText(text: string, random: Random, other: string): string {
  const lines = text.split('\n');
  const line = random.below(lines.length);
  switch (random.below(7)) {
    case 0:
      return [...lines.slice(0, line), ...lines.slice(line + 1 + random.below(4))].join('\n');
    case 1:
      return [...lines.slice(0, line), lines[line] ?? '', ...lines.slice(line)].join('\n');
    case 2: {
      const target = random.below(lines.length);
      const [moved, there] = [lines[line] ?? '', lines[target] ?? ''];
      return lines.map((old, at) => (at === line ? there : at === target ? moved : old)).join('\n');
    }
    case 3: {
      const others = other.split('\n');
      const from = random.below(others.length);
      return [...lines.slice(0, line), ...others.slice(from, from + 1 + random.below(8)), ...lines.slice(line)].join(
        '\n',
      );
    }
    case 4:
      return text.slice(0, random.below(text.length + 1));
    default: {
      const words = [...text.matchAll(/"[^"\\\n]*(?:\\.[^"\\\n]*)*"|[\w.@/+^~-]+|[^\s\w]/g)];
      if (words.length === 0) return random.pick(values);
      const { index, 0: word } = random.pick(words);
      const put = random.below(3) === 0 ? (random.pick(words)[0] ?? '') : random.pick(values);
      return text.slice(0, index) + put + text.slice(index + (random.below(4) === 0 ? 0 : word.length));
    }
  }
}
