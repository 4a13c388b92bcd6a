import { readConstantPool } from './constant-pool.ts';

/** Name of the class in a class file, with `/` between packages (JVMS §4.1, §4.4); null when it cannot be read. */
export function readClassName(bytes: Buffer): string | null {
  try {
    if (bytes.length < 10 || bytes.readUInt32BE(0) !== 0xcafebabe) return null;
    const pool = readConstantPool(bytes);
    return pool === null ? null : pool.name(bytes.readUInt16BE(pool.end + 2));
  } catch (error) {
    if (error instanceof RangeError) return null;
    throw error;
  }
}
