/** The constants of a class file by index (JVMS §4.4). */
export type ConstantPool = {
  /** Text of a CONSTANT_Utf8; '' where there is none. */
  readonly text: (index: number) => string;
  /** Name of a CONSTANT_Class, Module or Package; null for index 0. */
  readonly name: (index: number) => string | null;
  /** A number or text as Java writes it; null for something else. */
  readonly value: (index: number) => string | null;
  /** Where the bytes go on behind the pool. */
  readonly end: number;
};

type Constant = { readonly tag: number; readonly at: number };

/** @returns null where a constant has a kind that is not known. @throws RangeError for a file that ends too early. */
export function readConstantPool(bytes: Buffer): ConstantPool | null {
  const count = bytes.readUInt16BE(8);
  const constants = new Map<number, Constant>();
  let at = 10;
  for (let index = 1; index < count; index++) {
    const tag = bytes.readUInt8(at);
    constants.set(index, { tag, at: at + 1 });
    const size = tag === 1 ? 2 + bytes.readUInt16BE(at + 1) : constantSizes[tag];
    if (size === undefined) return null;
    at += 1 + size;
    // Numbers of eight bytes take two places in the pool.
    if (tag === 5 || tag === 6) index++;
  }
  const text = (index: number): string => {
    const found = constants.get(index);
    if (found?.tag !== 1) return '';
    return bytes.toString('utf8', found.at + 2, found.at + 2 + bytes.readUInt16BE(found.at));
  };
  const name = (index: number): string | null => {
    const found = constants.get(index);
    return found === undefined || ![7, 19, 20].includes(found.tag) ? null : text(bytes.readUInt16BE(found.at));
  };
  const value = (index: number): string | null => {
    const found = constants.get(index);
    if (found === undefined) return null;
    const read = readers[found.tag];
    if (found.tag === 8) return JSON.stringify(text(bytes.readUInt16BE(found.at)));
    return read === undefined ? null : read(bytes, found.at);
  };
  return { text, name, value, end: at };
}

const readers: Readonly<Record<number, (bytes: Buffer, at: number) => string>> = {
  3: (bytes, at) => String(bytes.readInt32BE(at)),
  4: (bytes, at) => `${bytes.readFloatBE(at)}f`,
  5: (bytes, at) => `${bytes.readBigInt64BE(at)}L`,
  6: (bytes, at) => String(bytes.readDoubleBE(at)),
};

// JVMS §4.4, table 4.4-A and the structures after it: bytes behind the tag.
const constantSizes: Readonly<Record<number, number>> = {
  3: 4,
  4: 4,
  5: 8,
  6: 8,
  7: 2,
  8: 2,
  9: 4,
  10: 4,
  11: 4,
  12: 4,
  15: 3,
  16: 2,
  17: 4,
  18: 4,
  19: 2,
  20: 2,
};
