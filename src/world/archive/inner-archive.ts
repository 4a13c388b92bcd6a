import { promisify } from 'node:util';
import { gunzip, inflateRaw } from 'node:zlib';

const unzipped = promisify(gunzip);
const inflated = promisify(inflateRaw);

/** An archive in an archive is looked into up to this size, and this much of what is in it. */
const maxInnerBytes = 16 << 20;
const maxUnpackedBytes = 64 << 20;
const maxInnerEntries = 5000;

/** A file of an inner archive; of a packed tar all of it, since text in it lies as it is. */
export type InnerFile = { readonly name: string; readonly bytes: Uint8Array };

/**
 * Collects the inner archives of an artifact as its files stream by, and unpacks them, one level deep. It never throws: an inner
 * archive that is damaged, too large or encrypted is no fault of the artifact, and what can be read of it is looked at.
 */
export class InnerArchives {
  readonly #look: (path: string, file: InnerFile) => void;
  #open: { readonly path: string; parts: Buffer[]; sizeBytes: number } | null = null;
  #left = maxUnpackedBytes;

  /** @param look gets every file inside, with the path of the archive that holds it. */
  constructor(look: (path: string, file: InnerFile) => void) {
    this.#look = look;
  }

  /** @returns a promise while an archive is unpacked. */
  chunk(path: string, chunk: Uint8Array, isFirst: boolean): Promise<void> | undefined {
    const done = isFirst ? this.finish() : undefined;
    if (isFirst) this.#open = isArchive(chunk) ? { path, parts: [], sizeBytes: 0 } : null;
    const open = this.#open;
    if (open === null) return done;
    open.sizeBytes += chunk.byteLength;
    if (open.sizeBytes > maxInnerBytes) this.#open = null;
    // A copy: the reader may use the chunk's memory again.
    else open.parts.push(Buffer.from(chunk));
    return done;
  }

  /** Unpacks the last one. */
  finish(): Promise<void> | undefined {
    const open = this.#open;
    this.#open = null;
    return open === null ? undefined : this.#unpack(open.path, Buffer.concat(open.parts));
  }

  async #unpack(path: string, bytes: Buffer): Promise<void> {
    if (bytes[0] === 0x1f) {
      const whole = await this.#within((maxOutputLength) => unzipped(bytes, { maxOutputLength }));
      if (whole !== null) this.#look(path, { name: '', bytes: whole });
      return;
    }
    for (const { name, method, packed } of zipFiles(bytes)) {
      const whole =
        method === 0 ? packed : await this.#within((maxOutputLength) => inflated(packed, { maxOutputLength }));
      if (whole !== null) this.#look(path, { name, bytes: whole });
    }
  }

  async #within(unpack: (maxOutputLength: number) => Promise<Buffer>): Promise<Buffer | null> {
    if (this.#left <= 0) return null;
    try {
      const bytes = await unpack(this.#left);
      this.#left -= bytes.length;
      return bytes;
    } catch {
      return null;
    }
  }
}

function isArchive(head: Uint8Array): boolean {
  const isGzip = head[0] === 0x1f && head[1] === 0x8b;
  return isGzip || (head[0] === 0x50 && head[1] === 0x4b && head[2] === 3 && head[3] === 4);
}

type ZipFile = { readonly name: string; readonly method: number; readonly packed: Buffer };

/** The files of a zip by its central directory (APPNOTE.TXT §4.3.12, §4.3.16); what points outside is left out. */
function* zipFiles(bytes: Buffer): Generator<ZipFile> {
  const end = bytes.lastIndexOf(Buffer.from('PK\x05\x06', 'latin1'));
  if (end === -1 || end + 22 > bytes.length) return;
  let at = bytes.readUInt32LE(end + 16);
  for (let count = 0; count < maxInnerEntries && at + 46 <= bytes.length; count++) {
    if (bytes.readUInt32LE(at) !== 0x02014b50) return;
    const method = bytes.readUInt16LE(at + 10);
    const size = bytes.readUInt32LE(at + 20);
    const nameLength = bytes.readUInt16LE(at + 28);
    const local = bytes.readUInt32LE(at + 42);
    const name = bytes.toString('utf8', at + 46, at + 46 + nameLength);
    at += 46 + nameLength + bytes.readUInt16LE(at + 30) + bytes.readUInt16LE(at + 32);
    if (local + 30 > bytes.length || (method !== 0 && method !== 8)) continue;
    const start = local + 30 + bytes.readUInt16LE(local + 26) + bytes.readUInt16LE(local + 28);
    yield { name, method, packed: bytes.subarray(start, start + size) };
  }
}
