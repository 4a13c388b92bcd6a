/** Types of packets (draft-ietf-secsh-filexfer-02 §3), named as there. */
export const packetTypes = {
  INIT: 1,
  VERSION: 2,
  OPEN: 3,
  CLOSE: 4,
  READ: 5,
  WRITE: 6,
  LSTAT: 7,
  SETSTAT: 9,
  OPENDIR: 11,
  READDIR: 12,
  REMOVE: 13,
  MKDIR: 14,
  RMDIR: 15,
  REALPATH: 16,
  RENAME: 18,
  READLINK: 19,
  SYMLINK: 20,
  STATUS: 101,
  HANDLE: 102,
  DATA: 103,
  NAME: 104,
  ATTRS: 105,
  EXTENDED: 200,
} as const;

/** Codes of a STATUS packet (§7). */
export const statusCodes = { OK: 0, EOF: 1, NO_SUCH_FILE: 2, PERMISSION_DENIED: 3, FAILURE: 4 } as const;

/** How a file is opened (§6.3). */
export const openFlags = { READ: 0x1, WRITE: 0x2, CREAT: 0x8, EXCL: 0x20 } as const;

/** The attributes that are used here (§5); null where they were not given. */
export type Attributes = { readonly size: number | null; readonly permissions: number | null };

const attributeFlags = { SIZE: 0x1, UIDGID: 0x2, PERMISSIONS: 0x4, ACMODTIME: 0x8, EXTENDED: 0x80000000 } as const;

/** One field of a packet: bytes with their length before them, or a plain number. */
export type Field = string | Uint8Array | { readonly u32: number } | { readonly u64: number } | { readonly u8: number };

/** Bytes of a packet: its length, its type, its fields (§3). */
export function encodePacket(type: number, fields: readonly Field[]): Buffer {
  const body = Buffer.concat([Buffer.from([type]), ...fields.map(encodeField)]);
  const length = Buffer.alloc(4);
  length.writeUInt32BE(body.byteLength);
  return Buffer.concat([length, body]);
}

/** Attributes that set nothing but permissions. */
export function permissionFields(mode: number): Field[] {
  return [{ u32: attributeFlags.PERMISSIONS }, { u32: mode }];
}

function encodeField(field: Field): Buffer {
  if (typeof field === 'string' || field instanceof Uint8Array) {
    const bytes = Buffer.from(field as Uint8Array);
    const length = Buffer.alloc(4);
    length.writeUInt32BE(bytes.byteLength);
    return Buffer.concat([length, bytes]);
  }
  if ('u8' in field) return Buffer.from([field.u8]);
  const bytes = Buffer.alloc('u64' in field ? 8 : 4);
  if ('u64' in field) bytes.writeBigUInt64BE(BigInt(field.u64));
  else bytes.writeUInt32BE(field.u32);
  return bytes;
}

/** Reads the fields of a packet one after the other. Every method throws a RangeError behind its end. */
export class PacketReader {
  readonly #bytes: Buffer;
  #at = 0;

  constructor(bytes: Buffer) {
    this.#bytes = bytes;
  }

  get isAtEnd(): boolean {
    return this.#at >= this.#bytes.byteLength;
  }

  u8(): number {
    return this.#take(1).readUInt8();
  }

  u32(): number {
    return this.#take(4).readUInt32BE();
  }

  u64(): number {
    return Number(this.#take(8).readBigUInt64BE());
  }

  bytes(): Buffer {
    return this.#take(this.u32());
  }

  text(): string {
    return this.bytes().toString('utf8');
  }

  attributes(): Attributes {
    const flags = this.u32();
    const has = (flag: number) => (flags & flag) !== 0;
    const size = has(attributeFlags.SIZE) ? this.u64() : null;
    if (has(attributeFlags.UIDGID)) this.#take(8);
    const permissions = has(attributeFlags.PERMISSIONS) ? this.u32() : null;
    if (has(attributeFlags.ACMODTIME)) this.#take(8);
    if (has(attributeFlags.EXTENDED)) for (let count = this.u32(); count > 0; count--) [this.bytes(), this.bytes()];
    return { size, permissions };
  }

  #take(length: number): Buffer {
    if (this.#at + length > this.#bytes.byteLength) throw new RangeError('the packet ends too early');
    this.#at += length;
    return this.#bytes.subarray(this.#at - length, this.#at);
  }
}
