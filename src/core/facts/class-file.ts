/** Name of the class in a class file, with `/` between packages (JVMS §4.1, §4.4); null when it cannot be read. */
export function readClassName(bytes: Buffer): string | null {
  try {
    if (bytes.length < 10 || bytes.readUInt32BE(0) !== 0xcafebabe) return null;
    const count = bytes.readUInt16BE(8);
    const texts = new Map<number, string>();
    const classes = new Map<number, number>();
    let at = 10;
    for (let index = 1; index < count; index++) {
      const tag = bytes[at] ?? 0;
      if (tag === 1) {
        const length = bytes.readUInt16BE(at + 1);
        texts.set(index, bytes.toString('utf8', at + 3, at + 3 + length));
        at += 3 + length;
        continue;
      }
      if (tag === 7) classes.set(index, bytes.readUInt16BE(at + 1));
      const size = constantSizes[tag];
      if (size === undefined) return null;
      at += 1 + size;
      // Numbers of eight bytes take two places in the pool.
      if (tag === 5 || tag === 6) index++;
    }
    return texts.get(classes.get(bytes.readUInt16BE(at + 2)) ?? 0) ?? null;
  } catch (error) {
    if (error instanceof RangeError) return null;
    throw error;
  }
}

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
