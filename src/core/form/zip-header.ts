import { BevelstoneError } from '../error/bevelstone-error.ts';

/** One member of a zip archive with everything its headers say (APPNOTE.TXT 6.3.10). */
export type ZipMember = {
  /** Folders end in `/`. */
  readonly path: string;
  readonly type: 'file' | 'symlink' | 'folder';
  readonly mode: number;
  /** 0 stored, 8 deflated (§4.4.5). */
  readonly method: 0 | 8;
  readonly crc32: number;
  readonly sizeBytes: number;
  readonly packedBytes: number;
  /** Where its local header begins. */
  readonly offset: number;
};

const most32 = 0xffffffff;
const fileTypes = { file: 0o100000, symlink: 0o120000, folder: 0o040000 } as const;

/** The local file header (§4.3.7). Sizes are known before it is written, so there is no data descriptor. */
export function encodeLocalHeader(member: ZipMember, time: number): Buffer {
  const name = Buffer.from(member.path);
  const isLarge = member.sizeBytes >= most32 || member.packedBytes >= most32;
  // §4.5.3: in a local header both sizes are given when one needs 64 bits.
  const extra = isLarge ? extraOf([member.sizeBytes, member.packedBytes]) : Buffer.alloc(0);
  const header = Buffer.alloc(30);
  header.writeUInt32LE(0x04034b50, 0);
  header.writeUInt16LE(isLarge ? 45 : 20, 4);
  common(member, time, isLarge).copy(header, 6);
  header.writeUInt16LE(name.length, 26);
  header.writeUInt16LE(extra.length, 28);
  return Buffer.concat([header, name, extra]);
}

/** The central directory with its end records (§4.3.12 to §4.3.16), zip64 where sizes, places or counts ask for it. */
export function encodeDirectory({
  members,
  time,
  start,
  comment,
}: {
  readonly members: readonly ZipMember[];
  readonly time: number;
  readonly start: number;
  readonly comment: string;
}): Buffer {
  const headers = members.map((member) => centralHeader(member, time));
  const sizeBytes = headers.reduce((sum, { length }) => sum + length, 0);
  const isLarge = members.length >= 0xffff || start >= most32 || sizeBytes >= most32;
  const text = Buffer.from(comment);
  const end = Buffer.alloc(22);
  end.writeUInt32LE(0x06054b50, 0);
  end.writeUInt16LE(Math.min(members.length, 0xffff), 8);
  end.writeUInt16LE(Math.min(members.length, 0xffff), 10);
  end.writeUInt32LE(Math.min(sizeBytes, most32), 12);
  end.writeUInt32LE(Math.min(start, most32), 16);
  end.writeUInt16LE(text.length, 20);
  const large = isLarge ? largeEnd(members.length, sizeBytes, start) : Buffer.alloc(0);
  return Buffer.concat([...headers, large, end, text]);
}

/**
 * Date and time as zip has them: two 16-bit numbers, here in UTC (§4.4.6).
 * @param time seconds since 1970.
 * @throws FORM_FIELD_TOO_LARGE outside of 1980 to 2107.
 */
export function encodeDosTime(time: number): number {
  const at = new Date(time * 1000);
  const year = at.getUTCFullYear() - 1980;
  if (year < 0 || year > 127) {
    throw new BevelstoneError('FORM_FIELD_TOO_LARGE', {
      message: `the time ${at.toISOString()} is out of range for a zip archive`,
      why: 'its dates go from 1980 to 2107',
      fix: 'Use a commit with an ordinary date',
    });
  }
  const date = (year << 9) | ((at.getUTCMonth() + 1) << 5) | at.getUTCDate();
  const clock = (at.getUTCHours() << 11) | (at.getUTCMinutes() << 5) | (at.getUTCSeconds() >> 1);
  return ((date << 16) | clock) >>> 0;
}

/** The fields that local and central headers share, from the flags to the sizes. */
function common({ path, method, crc32, sizeBytes, packedBytes }: ZipMember, time: number, isLarge: boolean): Buffer {
  const fields = Buffer.alloc(20);
  // Bit 11: the name is UTF-8 (§4.4.4).
  fields.writeUInt16LE(/^[\u0020-\u007e]*$/.test(path) ? 0 : 0x0800, 0);
  fields.writeUInt16LE(method, 2);
  fields.writeUInt32LE(encodeDosTime(time), 4);
  fields.writeUInt32LE(crc32, 8);
  fields.writeUInt32LE(isLarge ? most32 : packedBytes, 12);
  fields.writeUInt32LE(isLarge ? most32 : sizeBytes, 16);
  return fields;
}

function centralHeader(member: ZipMember, time: number): Buffer {
  const name = Buffer.from(member.path);
  const isLarge = member.sizeBytes >= most32 || member.packedBytes >= most32;
  const isFar = member.offset >= most32;
  const extra =
    isLarge || isFar
      ? extraOf([...(isLarge ? [member.sizeBytes, member.packedBytes] : []), ...(isFar ? [member.offset] : [])])
      : Buffer.alloc(0);
  const header = Buffer.alloc(46);
  header.writeUInt32LE(0x02014b50, 0);
  // Made on Unix (3), so that the upper half of the external attributes is the mode (§4.4.2, §4.4.15).
  header.writeUInt16LE((3 << 8) | 45, 4);
  header.writeUInt16LE(extra.length > 0 ? 45 : 20, 6);
  common(member, time, isLarge).copy(header, 8);
  header.writeUInt16LE(name.length, 28);
  header.writeUInt16LE(extra.length, 30);
  const attributes = ((fileTypes[member.type] | member.mode) << 16) | (member.type === 'folder' ? 0x10 : 0);
  header.writeUInt32LE(attributes >>> 0, 38);
  header.writeUInt32LE(isFar ? most32 : member.offset, 42);
  return Buffer.concat([header, name, extra]);
}

/** The zip64 extra field (§4.5.3). */
function extraOf(values: readonly number[]): Buffer {
  const extra = Buffer.alloc(4 + 8 * values.length);
  extra.writeUInt16LE(0x0001, 0);
  extra.writeUInt16LE(8 * values.length, 2);
  for (const [index, value] of values.entries()) extra.writeBigUInt64LE(BigInt(value), 4 + 8 * index);
  return extra;
}

/** Zip64 end of central directory record and its locator (§4.3.14, §4.3.15). */
function largeEnd(count: number, sizeBytes: number, start: number): Buffer {
  const record = Buffer.alloc(56);
  record.writeUInt32LE(0x06064b50, 0);
  record.writeBigUInt64LE(44n, 4);
  record.writeUInt16LE((3 << 8) | 45, 12);
  record.writeUInt16LE(45, 14);
  record.writeBigUInt64LE(BigInt(count), 24);
  record.writeBigUInt64LE(BigInt(count), 32);
  record.writeBigUInt64LE(BigInt(sizeBytes), 40);
  record.writeBigUInt64LE(BigInt(start), 48);
  const locator = Buffer.alloc(20);
  locator.writeUInt32LE(0x07064b50, 0);
  locator.writeBigUInt64LE(BigInt(start + sizeBytes), 8);
  locator.writeUInt32LE(1, 16);
  return Buffer.concat([record, locator]);
}
