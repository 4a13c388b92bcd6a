import { createHash } from 'node:crypto';
import { writeSync } from 'node:fs';
import { type FileHandle, open } from 'node:fs/promises';
import type { PackedEntry } from '../../core/contents/entry.ts';

/** What was written: sizes and digests, taken while writing. */
export type WrittenArchive = {
  readonly sizeBytes: number;
  readonly sha256: string;
  readonly sha512: string;
  readonly sha1: string;
  readonly entries: readonly PackedEntry[];
};

const gatherBytes = 1 << 20;
const settleBytes = 16 << 20;

/** A new file that is written from front to back, with its digests. Small pieces are gathered before they are written. */
export class OutputFile {
  readonly #handle: FileHandle;
  readonly #hashes = [createHash('sha256'), createHash('sha512'), createHash('sha1')] as const;
  #gathered: Uint8Array[] = [];
  #gatheredBytes = 0;
  #unsettledBytes = 0;
  #settling: Promise<void> | null = null;
  /** Bytes given so far. */
  sizeBytes = 0;

  private constructor(handle: FileHandle) {
    this.#handle = handle;
  }

  /** Opens a new file, lets it be filled, flushes it to disk and closes it whatever happens. */
  static async fill(
    file: string,
    fill: (output: OutputFile) => Promise<readonly PackedEntry[]>,
  ): Promise<WrittenArchive> {
    const output = new OutputFile(await open(file, 'wx', 0o644));
    try {
      const entries = await fill(output);
      output.#flush();
      await output.#settling;
      await output.#handle.sync();
      const [sha256 = '', sha512 = '', sha1 = ''] = output.#hashes.map((hash) => hash.digest('hex'));
      return { sizeBytes: output.sizeBytes, sha256, sha512, sha1, entries };
    } finally {
      await output.#handle.close();
    }
  }

  write(bytes: Uint8Array): void {
    this.sizeBytes += bytes.byteLength;
    this.#gathered.push(bytes);
    this.#gatheredBytes += bytes.byteLength;
    if (this.#gatheredBytes >= gatherBytes) this.#flush();
  }

  #flush(): void {
    const bytes = this.#gathered.length === 1 ? (this.#gathered[0] as Uint8Array) : Buffer.concat(this.#gathered);
    [this.#gathered, this.#gatheredBytes] = [[], 0];
    // In the thread pool a write would wait behind the compression that is to be fed meanwhile.
    for (let at = 0; at < bytes.byteLength; ) at += writeSync(this.#handle.fd, bytes, at);
    this.#settle(bytes.byteLength);
    for (const hash of this.#hashes) hash.update(bytes);
  }

  /** Starts writing early, to avoid a long wait at the end. */
  #settle(bytes: number): void {
    this.#unsettledBytes += bytes;
    if (this.#unsettledBytes < settleBytes || this.#settling !== null) return;
    this.#unsettledBytes = 0;
    const settling = this.#handle.datasync().then(() => {
      this.#settling = null;
    });
    settling.catch(() => {}); // awaited before the file is closed; until then it must not count as unhandled
    this.#settling = settling;
  }
}
