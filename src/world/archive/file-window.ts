import type { FileHandle } from 'node:fs/promises';
import { ZipError } from '../../core/form/zip-reader.ts';

const windowBytes = 1 << 20;

/** Gives pieces of a file that is read from front to back, with few reads of the disk. */
export class FileWindow {
  readonly #handle: FileHandle;
  readonly #end: number;
  #start = 0;
  #bytes: Buffer = Buffer.alloc(0);

  /** @param end where reading ends; what lies behind is not given. */
  constructor(handle: FileHandle, end: number) {
    [this.#handle, this.#end] = [handle, end];
  }

  /**
   * Bytes from a place on, valid until the next call.
   * @param isShortFine whether fewer are given where the file ends.
   * @throws ZipError when there are not as many.
   */
  async at(start: number, length: number, isShortFine = false): Promise<Buffer> {
    const wanted = isShortFine ? Math.min(length, this.#end - start) : length;
    if (start + wanted > this.#end) throw new ZipError('an entry reaches beyond its end');
    const isThere = start >= this.#start && start + wanted <= this.#start + this.#bytes.length;
    if (!isThere) await this.#read(start, Math.min(Math.max(wanted, windowBytes), this.#end - start));
    const from = start - this.#start;
    if (from + wanted > this.#bytes.length) throw new ZipError('it ends early');
    return this.#bytes.subarray(from, from + wanted);
  }

  /** The same for many bytes, piece by piece. */
  async *range(start: number, length: number): AsyncGenerator<Buffer> {
    for (let at = start; at < start + length; at += windowBytes)
      yield await this.at(at, Math.min(windowBytes, start + length - at));
  }

  async #read(start: number, length: number): Promise<void> {
    // Not the old memory: a compressor may still be at work on it.
    const bytes = Buffer.allocUnsafeSlow(length);
    const { bytesRead } = await this.#handle.read(bytes, 0, length, start);
    [this.#start, this.#bytes] = [start, bytes.subarray(0, bytesRead)];
  }
}
