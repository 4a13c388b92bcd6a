import { Ambiguity } from './ambiguity.ts';

// How a zip archive is read (APPNOTE.TXT 6.3.10). Everything is said twice in one, and readers differ in which of the two they
// believe, so whatever contradicts itself is refused.

/** A file that contradicts itself, or is cut off; the message says how. */
export class ZipError extends Error {
  override readonly name = 'ZipError';
}

/** Where the central directory lies, and what it holds. */
export type ZipEnd = {
  readonly entries: number;
  readonly start: number;
  readonly sizeBytes: number;
  readonly comment: Buffer;
};

/** One member as the central directory describes it. */
export type ZipRecord = {
  readonly name: Buffer;
  /** The name as text; folders end in `/`. */
  readonly path: string;
  readonly flags: number;
  readonly method: number;
  readonly crc32: number;
  readonly packedBytes: number;
  readonly sizeBytes: number;
  /** Where its local header begins. */
  readonly offset: number;
  readonly isUnix: boolean;
  readonly externalAttributes: number;
  /** Date and time as zip has them. */
  readonly dosTime: number;
};

const endBytes = 22;
const locatorBytes = 20;
const zip64EndBytes = 56;
/** An end record with the longest comment, and what zip64 puts before it. */
export const longestEnd = endBytes + 0xffff + locatorBytes + zip64EndBytes;
const most32 = 0xffffffff;

/**
 * The end of a zip archive (§4.3.14 to §4.3.16).
 * @param tail the last bytes of the file, `longestEnd` of them where it has as many.
 * @throws ZipError, Ambiguity
 */
export function decodeEnd(tail: Buffer, fileBytes: number): ZipEnd {
  const at = findEnd(tail);
  const tailStart = fileBytes - tail.length;
  const comment = tail.subarray(at + endBytes);
  if (comment.includes('PK\x05\x06', 0, 'latin1')) throw new Ambiguity('it has two end records');
  const disks = [tail.readUInt16LE(at + 4), tail.readUInt16LE(at + 6)];
  const short = {
    entries: tail.readUInt16LE(at + 10),
    sizeBytes: tail.readUInt32LE(at + 12),
    start: tail.readUInt32LE(at + 16),
  };
  if (disks.some((disk) => disk !== 0 && disk !== 0xffff)) throw new ZipError('it is one part of several');
  const large = decodeLargeEnd(tail, at, tailStart);
  if (large === null && tail.readUInt16LE(at + 8) !== short.entries)
    throw new Ambiguity('its end record gives two counts of entries');
  const found = large === null ? short : agreeing(short, large);
  const end = tailStart + (large === null ? at : large.at);
  if (found.start + found.sizeBytes !== end)
    throw new Ambiguity(
      `its directory should end at byte ${found.start + found.sizeBytes} and ends at ${end}, so something stands before or behind it`,
    );
  return { entries: found.entries, start: found.start, sizeBytes: found.sizeBytes, comment };
}

/** The last end record whose comment ends with the file. */
function findEnd(tail: Buffer): number {
  for (let at = tail.length - endBytes; at >= 0; at--) {
    at = tail.lastIndexOf('PK\x05\x06', at, 'latin1');
    if (at === -1) break;
    if (at + endBytes <= tail.length && at + endBytes + tail.readUInt16LE(at + 20) === tail.length) return at;
  }
  throw new ZipError('its end record is missing, or something stands behind it');
}

type LargeEnd = Pick<ZipEnd, 'entries' | 'start' | 'sizeBytes'> & { readonly at: number };

/** The zip64 record, from the place in the tail that its locator names; null without a locator. */
function decodeLargeEnd(tail: Buffer, end: number, tailStart: number): LargeEnd | null {
  const locator = end - locatorBytes;
  if (locator < 0 || tail.readUInt32LE(locator) !== 0x07064b50) return null;
  const at = number64(tail, locator + 8) - tailStart;
  if (at < 0 || at + zip64EndBytes > locator || tail.readUInt32LE(at) !== 0x06064b50)
    throw new ZipError('its zip64 locator leads nowhere');
  if (at + 12 + number64(tail, at + 4) !== locator)
    throw new Ambiguity('something stands between its zip64 record and the locator');
  const entries = number64(tail, at + 32);
  if (number64(tail, at + 24) !== entries) throw new Ambiguity('its zip64 record gives two counts of entries');
  return { at, entries, sizeBytes: number64(tail, at + 40), start: number64(tail, at + 48) };
}

/** §4.4.1.4: the short record either says the same or has its largest value. */
function agreeing(short: Pick<ZipEnd, 'entries' | 'start' | 'sizeBytes'>, large: LargeEnd): LargeEnd {
  const agrees =
    (short.entries === large.entries || short.entries === 0xffff) &&
    (short.sizeBytes === large.sizeBytes || short.sizeBytes === most32) &&
    (short.start === large.start || short.start === most32);
  if (!agrees) throw new Ambiguity('its end record and its zip64 record contradict each other');
  return large;
}

/**
 * All members by the central directory (§4.3.12).
 * @throws ZipError, Ambiguity unless it holds as many records as its end says, and nothing else.
 */
export function decodeDirectory(bytes: Buffer, entries: number): ZipRecord[] {
  const records: ZipRecord[] = [];
  let at = 0;
  while (at < bytes.length) {
    if (at + 46 > bytes.length || bytes.readUInt32LE(at) !== 0x02014b50)
      throw new ZipError(`its directory has no record where entry ${records.length + 1} should be`);
    const nameEnd = at + 46 + bytes.readUInt16LE(at + 28);
    const extraEnd = nameEnd + bytes.readUInt16LE(at + 30);
    const next = extraEnd + bytes.readUInt16LE(at + 32);
    if (next > bytes.length) throw new ZipError('its directory is cut off');
    records.push(decodeRecord(bytes.subarray(at, next), nameEnd - at, extraEnd - at));
    at = next;
  }
  if (records.length !== entries)
    throw new Ambiguity(`its directory has ${records.length} entries and its end says ${entries}`);
  return records;
}

function decodeRecord(bytes: Buffer, nameEnd: number, extraEnd: number): ZipRecord {
  const flags = bytes.readUInt16LE(8);
  const name = bytes.subarray(46, nameEnd);
  const extras = decodeExtras(bytes.subarray(nameEnd, extraEnd));
  const path = decodeName(name, flags, extras);
  const short = {
    sizeBytes: bytes.readUInt32LE(24),
    packedBytes: bytes.readUInt32LE(20),
    offset: bytes.readUInt32LE(42),
  };
  return {
    name,
    path,
    flags,
    method: bytes.readUInt16LE(10),
    crc32: bytes.readUInt32LE(16),
    ...largeValues(short, extras, path),
    isUnix: bytes[5] === 3,
    externalAttributes: bytes.readUInt32LE(38),
    dosTime: bytes.readUInt32LE(12),
  };
}

type Extras = ReadonlyMap<number, Buffer>;

/** The extra fields by their id (§4.5.1). What is left over is padding, which some writers use to align files. */
function decodeExtras(bytes: Buffer): Extras {
  const found = new Map<number, Buffer>();
  for (let at = 0; at + 4 <= bytes.length; ) {
    const id = bytes.readUInt16LE(at);
    const end = at + 4 + bytes.readUInt16LE(at + 2);
    if (end > bytes.length) break;
    if (found.has(id) && id === 0x0001) throw new Ambiguity('an entry has two zip64 fields');
    found.set(id, bytes.subarray(at + 4, end));
    at = end;
  }
  return found;
}

/** §4.5.3: the zip64 field holds, in this order, those values whose short field has its largest value. */
function largeValues<Key extends string>(
  short: Readonly<Record<Key, number>>,
  extras: Extras,
  path: string,
): Record<Key, number> {
  const field = extras.get(0x0001);
  let at = 0;
  const values = Object.entries<number>(short).map(([key, value]): [string, number] => {
    if (value !== most32) return [key, value];
    if (field === undefined || at + 8 > field.length) throw new ZipError(`${path} lacks its zip64 sizes`);
    at += 8;
    return [key, number64(field, at - 8)];
  });
  return Object.fromEntries(values) as Record<Key, number>;
}

const utf8 = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });

/**
 * A name: UTF-8 where bit 11 says so (§4.4.4), or where a Unicode path field gives it (§4.6.9), plain ASCII else. Readers take
 * other bytes for letters of different alphabets.
 */
function decodeName(name: Buffer, flags: number, extras: Extras): string {
  const isAscii = name.every((byte) => byte < 0x80);
  const unicode = extras.get(0x7075);
  const other = unicode === undefined || unicode[0] !== 1 || unicode.length < 5 ? null : unicode.subarray(5);
  if (other !== null && ((flags & 0x0800) !== 0 || isAscii) && !other.equals(name))
    throw new Ambiguity(`${asText(name)} has another name in its Unicode field`);
  if (isAscii) return name.toString('latin1');
  if ((flags & 0x0800) === 0 && other === null)
    throw new Ambiguity(`the name ${asText(name)} is neither ASCII nor marked as UTF-8`);
  try {
    return utf8.decode(other ?? name);
  } catch {
    throw new Ambiguity(`the name ${asText(name)} is not valid UTF-8`);
  }
}

function asText(name: Buffer): string {
  return name.toString('latin1');
}

/** Bytes of a local header before its name. */
export const localBytes = 30;

/** How many bytes the local header has with name and extra fields. @throws ZipError when it is none. */
export function localLength(bytes: Buffer, { path }: ZipRecord): number {
  if (bytes.length < localBytes || bytes.readUInt32LE(0) !== 0x04034b50)
    throw new ZipError(`${path} has no header where the directory says`);
  return localBytes + bytes.readUInt16LE(26) + bytes.readUInt16LE(28);
}

/**
 * Compares a whole local header (§4.3.7) with the directory.
 * @returns whether a data descriptor follows the bytes of the member.
 * @throws Ambiguity where they differ.
 */
export function compareLocal(bytes: Buffer, record: ZipRecord): boolean {
  const nameEnd = localBytes + bytes.readUInt16LE(26);
  const flags = bytes.readUInt16LE(6);
  const hasDescriptor = (flags & 0x0008) !== 0;
  const name = bytes.subarray(localBytes, nameEnd);
  const sizes = { sizeBytes: bytes.readUInt32LE(22), packedBytes: bytes.readUInt32LE(18) };
  const differing = (what: string) =>
    new Ambiguity(`the two headers of ${record.path} contradict each other: they give two ${what}`);
  if (!name.equals(record.name)) throw differing('names');
  if (bytes.readUInt16LE(8) !== record.method) throw differing('methods');
  if (((flags ^ record.flags) & sharedFlags) !== 0) throw differing('sets of flags');
  const extras = decodeExtras(bytes.subarray(nameEnd));
  if (decodeName(name, flags, extras) !== record.path) throw differing('names');
  // Zeros, where the values follow behind the bytes.
  const isLater = hasDescriptor && sizes.sizeBytes % most32 === 0 && sizes.packedBytes % most32 === 0;
  const { sizeBytes, packedBytes } = isLater ? record : largeValues(sizes, extras, record.path);
  if (sizeBytes !== record.sizeBytes || packedBytes !== record.packedBytes) throw differing('sizes');
  const checksum = bytes.readUInt32LE(14);
  if (checksum !== record.crc32 && !(hasDescriptor && checksum === 0)) throw differing('checksums');
  return hasDescriptor;
}

/** Encryption, patches, strong encryption, UTF-8, masked headers (§4.4.4). */
const sharedFlags = 0x0001 | 0x0020 | 0x0040 | 0x0800 | 0x2000;

/** The longest data descriptor: with its signature and zip64 sizes. */
export const longestDescriptor = 24;

/**
 * The length of the data descriptor behind a member (§4.3.9): with or without signature, with sizes of 32 or 64 bits.
 * @throws Ambiguity when none of the four says what the directory says.
 */
export function descriptorLength(bytes: Buffer, record: ZipRecord): number {
  for (const lead of [4, 0]) {
    if (lead === 4 && (bytes.length < 4 || bytes.readUInt32LE(0) !== 0x08074b50)) continue;
    for (const width of [4, 8]) {
      const length = lead + 4 + 2 * width;
      if (bytes.length < length || bytes.readUInt32LE(lead) !== record.crc32) continue;
      const at = (place: number) => (width === 4 ? bytes.readUInt32LE(place) : number64(bytes, place));
      if (at(lead + 4) === record.packedBytes && at(lead + 4 + width) === record.sizeBytes) return length;
    }
  }
  throw new Ambiguity(`the bytes behind ${record.path} give other sizes or another checksum than the directory`);
}

/** Seconds since 1970 of a time as zip has it, taken for UTC (§4.4.6). */
export function decodeDosTime(value: number): number {
  const [date, time] = [value >>> 16, value & 0xffff];
  const year = 1980 + (date >>> 9);
  return Date.UTC(year, ((date >>> 5) & 15) - 1, date & 31, time >>> 11, (time >>> 5) & 63, (time & 31) * 2) / 1000;
}

function number64(bytes: Buffer, at: number): number {
  const value = bytes.readBigUInt64LE(at);
  if (value > BigInt(Number.MAX_SAFE_INTEGER)) throw new ZipError('one of its zip64 values is beyond all bounds');
  return Number(value);
}
