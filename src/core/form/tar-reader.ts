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

/** @returns null for a block of zeros, which ends an archive. @throws TarError */
export function decodeTarHeader(block: Buffer): TarHeader | null {
  const stored = number({ block, start: 148, length: 8, field: 'checksum' });
  let sum = 8 * 0x20;
  for (let at = 0; at < 148; at++) sum += block[at] ?? 0;
  for (let at = 156; at < blockBytes; at++) sum += block[at] ?? 0;
  if (sum === 8 * 0x20) return null;
  if (sum !== stored) throw new TarError('the checksum of a header is wrong');
  const isUstar = block.toString('latin1', 257, 263) === 'ustar\0';
  const name = text(block, 0, 100);
  const prefix = isUstar ? text(block, 345, 155) : '';
  const names = [text(block, 265, 32), text(block, 297, 32)];
  const named = names.some((name) => name !== '') ? ` ${names.join(':')}` : '';
  return {
    name: prefix === '' ? name : `${prefix}/${name}`,
    typeflag: String.fromCharCode(block[156] || 0x30),
    mode: number({ block, start: 100, length: 8, field: 'mode' }) & 0o7777,
    owner: `${number({ block, start: 108, length: 8, field: 'owner' })}:${number({ block, start: 116, length: 8, field: 'group' })}${named}`,
    sizeBytes: number({ block, start: 124, length: 12, field: 'size' }),
    mtime: number({ block, start: 136, length: 12, field: 'time' }),
    linkname: text(block, 157, 100),
  };
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
  const end = block.indexOf(0, start);
  return block.toString('utf8', start, end === -1 || end > start + length ? start + length : end);
}

/** Octal digits, or a binary number where the highest bit is set, as GNU tar writes what is too large. */
function number({
  block,
  start,
  length,
  field,
}: {
  readonly block: Buffer;
  readonly start: number;
  readonly length: number;
  readonly field: string;
}): number {
  if (((block[start] ?? 0) & 0x80) !== 0) {
    let value = (block[start] ?? 0) & 0x7f;
    for (let at = start + 1; at < start + length; at++) value = value * 256 + (block[at] ?? 0);
    if (Number.isSafeInteger(value)) return value;
    throw new TarError(`the ${field} of a header is beyond all bounds`);
  }
  const digits = text(block, start, length).trim();
  if (digits === '') return 0;
  if (/^[0-7]+$/.test(digits)) return Number.parseInt(digits, 8);
  throw new TarError(`the ${field} of a header is not a number`);
}
