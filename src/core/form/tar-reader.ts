import { Ambiguity } from './ambiguity.ts';
import { blockBytes, mostOctal } from './tar-header.ts';

/** A header as a tar archive has it (POSIX.1-2017, pax, "ustar Interchange Format"; long names and sizes also as GNU tar writes them). */
export type TarHeader = {
  readonly name: string;
  readonly typeflag: string;
  readonly mode: number;
  readonly owner: string;
  readonly sizeBytes: number;
  /** Seconds since 1970. */
  readonly mtime: number;
  readonly linkname: string;
};

/** A header that contradicts itself; the message says how. */
export class TarError extends Error {
  override readonly name = 'TarError';
}

/** Values that extended headers give for the entry that follows. */
export type PaxValues = Readonly<Record<string, string>>;

/**
 * The header of 512 bytes that begins at a place.
 * @returns null for a block of zeros, which ends an archive.
 * @throws TarError
 */
export function decodeTarHeader(bytes: Buffer, at = 0): TarHeader | null {
  const stored = number(bytes, at + 148, { length: 8, field: 'checksum' });
  const sum = byteSum(bytes, at);
  // The checksum's own eight bytes count as spaces.
  let own = 0;
  for (let digit = at + 148; digit < at + 156; digit++) own += bytes[digit] ?? 0;
  if (sum === own) return null;
  if (sum - own + 8 * 0x20 !== stored) throw new TarError('the checksum of a header is wrong');
  const name = text(bytes, at, 100);
  const prefix = isUstar(bytes, at) ? text(bytes, at + 345, 155) : '';
  const [user, group] = [text(bytes, at + 265, 32), text(bytes, at + 297, 32)];
  const uid = number(bytes, at + 108, { length: 8, field: 'owner' });
  const gid = number(bytes, at + 116, { length: 8, field: 'group' });
  return {
    name: prefix === '' ? name : `${prefix}/${name}`,
    typeflag: String.fromCharCode(bytes[at + 156] || 0x30),
    mode: number(bytes, at + 100, { length: 8, field: 'mode' }) & 0o7777,
    owner: user === '' && group === '' ? `${uid}:${gid}` : `${uid}:${gid} ${user}:${group}`,
    sizeBytes: number(bytes, at + 124, { length: 12, field: 'size' }),
    mtime: number(bytes, at + 136, { length: 12, field: 'time' }),
    linkname: text(bytes, at + 157, 100),
  };
}

/** The words of the memory that was summed last: making them costs more than a sum. */
let memory: { readonly buffer: ArrayBufferLike; readonly words: Uint32Array } | null = null;

/** The sum of the 512 bytes from a place on, four at a time where they lie so. */
function byteSum(bytes: Buffer, at: number): number {
  const { buffer, byteOffset } = bytes;
  const start = byteOffset + at;
  if (start % 4 !== 0) {
    let sum = 0;
    for (let byte = at; byte < at + blockBytes; byte++) sum += bytes[byte] ?? 0;
    return sum;
  }
  if (memory?.buffer !== buffer) memory = { buffer, words: new Uint32Array(buffer, 0, buffer.byteLength >> 2) };
  const { words } = memory;
  // Two sums of 16 bits each: 256 bytes of 255 are less.
  let sums = 0;
  for (let word = start >> 2; word < (start + blockBytes) >> 2; word++) {
    const four = words[word] ?? 0;
    sums += (four & 0x00ff00ff) + ((four >>> 8) & 0x00ff00ff);
  }
  return (sums & 0xffff) + (sums >>> 16);
}

/** `ustar` and a NUL at byte 257. */
function isUstar(bytes: Buffer, at: number): boolean {
  return bytes.readUInt32BE(at + 257) === 0x75737461 && bytes.readUInt16BE(at + 261) === 0x7200;
}

/**
 * The header with what extended headers say instead ("pax Extended Header").
 * @throws TarError for a size that is none; Ambiguity for one that contradicts the header's own, which older readers take.
 */
export function withPax(header: TarHeader, pax: PaxValues): TarHeader {
  const { path, linkpath, size, mtime } = pax;
  if (size !== undefined && !/^\d{1,15}$/.test(size))
    throw new TarError(`an extended header gives the size "${size.slice(0, 40)}"`);
  if (size !== undefined && header.sizeBytes !== 0 && Number(size) !== header.sizeBytes && Number(size) < mostOctal)
    throw new Ambiguity(`${header.name} has ${header.sizeBytes} bytes by its header and ${size} by the extended one`);
  return {
    ...header,
    ...(path === undefined ? {} : { name: path }),
    ...(linkpath === undefined ? {} : { linkname: linkpath }),
    ...(size === undefined ? {} : { sizeBytes: Number(size) }),
    ...(mtime === undefined || Number.isNaN(Number(mtime)) ? {} : { mtime: Math.floor(Number(mtime)) }),
  };
}

/** `LENGTH KEY=VALUE\n` records. @throws TarError when a length does not fit. */
export function decodePax(body: Buffer): Record<string, string> {
  const values: Record<string, string> = {};
  for (let at = 0; at < body.length; ) {
    const space = body.indexOf(0x20, at);
    const length = Number(body.toString('latin1', at, space));
    if (
      space === -1 ||
      !Number.isInteger(length) ||
      length < 5 ||
      at + length > body.length ||
      body[at + length - 1] !== 0x0a
    )
      throw new TarError('an extended header is malformed');
    const record = body.toString('utf8', space + 1, at + length - 1);
    const equals = record.indexOf('=');
    if (equals > 0) values[record.slice(0, equals)] = record.slice(equals + 1);
    at += length;
  }
  return values;
}

/** Text up to the first NUL. */
export function text(block: Buffer, start: number, length: number): string {
  // Most fields of most headers are empty.
  if (block[start] === 0) return '';
  const end = block.indexOf(0, start);
  return block.toString('utf8', start, end === -1 || end > start + length ? start + length : end);
}

/** Octal digits, or a binary number where the highest bit is set, as GNU tar writes what is too large. */
function number(
  block: Buffer,
  start: number,
  { length, field }: { readonly length: number; readonly field: string },
): number {
  if (((block[start] ?? 0) & 0x80) !== 0) {
    let value = (block[start] ?? 0) & 0x7f;
    for (let at = start + 1; at < start + length; at++) value = value * 256 + (block[at] ?? 0);
    if (Number.isSafeInteger(value)) return value;
    throw new TarError(`the ${field} of a header is beyond all bounds`);
  }
  const plain = plainOctal(block, start, start + length);
  if (plain !== null) return plain;
  const digits = text(block, start, length).trim();
  if (digits === '') return 0;
  if (/^[0-7]+$/.test(digits)) return Number.parseInt(digits, 8);
  throw new TarError(`the ${field} of a header is not a number`);
}

/** Octal digits up to a NUL or a space, as nearly every header has them; null for anything else. */
function plainOctal(block: Buffer, start: number, end: number): number | null {
  let value = 0;
  for (let at = start; at < end; at++) {
    const byte = block[at] ?? 0;
    if (byte === 0 || (byte === 0x20 && (block[at + 1] === 0 || at + 1 === end))) return at === start ? null : value;
    if (byte < 0x30 || byte > 0x37) return null;
    value = value * 8 + byte - 0x30;
  }
  return value;
}
