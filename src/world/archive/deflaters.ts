import { availableParallelism } from 'node:os';
import { promisify } from 'node:util';
import { constants, createDeflateRaw, type DeflateRaw, deflateRaw, type ZlibOptions } from 'node:zlib';
import { wholeBytes } from './pack-input.ts';

const deflateAlone: (input: Uint8Array, options: ZlibOptions) => Promise<Buffer> = promisify(deflateRaw);

/**
 * Compressors that are used again and again. A new one for each file has a quarter of a megabyte of its own, and with a million
 * files the collector does little else than take these away.
 */
export class Deflaters {
  readonly #level: number;
  readonly #free: DeflateRaw[] = [];
  readonly #waiting: ((deflater: DeflateRaw) => void)[] = [];
  readonly #all: DeflateRaw[] = [];

  constructor(level: number) {
    this.#level = level;
  }

  /** Bytes as one deflate stream (RFC 1951), the same whatever was compressed before. */
  async deflate(bytes: Uint8Array): Promise<Buffer> {
    // Few are as long as that: what was made, not read from a file.
    if (bytes.byteLength > wholeBytes) return deflateAlone(bytes, { level: this.#level });
    const deflater = await this.#take();
    await new Promise<void>((resolve, reject) => {
      deflater.once('error', reject);
      deflater.write(bytes);
      deflater.flush(constants.Z_FINISH, () => {
        deflater.off('error', reject);
        resolve();
      });
    });
    // All of it is in the stream's buffer, which is larger than any answer.
    const deflated = deflater.read() as Buffer;
    deflater.reset();
    const next = this.#waiting.shift();
    if (next === undefined) this.#free.push(deflater);
    else next(deflater);
    return deflated;
  }

  /** Frees their memory. */
  end(): void {
    for (const deflater of this.#all) deflater.destroy();
  }

  async #take(): Promise<DeflateRaw> {
    const free = this.#free.pop();
    if (free !== undefined) return free;
    // One more than the cores keeps them busy.
    if (this.#all.length > availableParallelism()) return new Promise((resolve) => this.#waiting.push(resolve));
    const made = createDeflateRaw({ level: this.#level, chunkSize: 64 << 10, highWaterMark: 2 * wholeBytes } as object);
    this.#all.push(made);
    return made;
  }
}
