import { createHash, type Hash, hash } from 'node:crypto';

/**
 * SHA-256 of one entry whose bytes come in pieces; an entry that comes whole is digested in one call, which costs less.
 * On this thread: with two cores another one would only take turns with the one that unpacks.
 */
export class EntryDigest {
  readonly #sizeBytes: number;
  #whole: string | null = null;
  #pieces: Hash | null = null;

  /** @param sizeBytes what its header says. */
  constructor(sizeBytes: number) {
    this.#sizeBytes = sizeBytes;
  }

  update(chunk: Uint8Array): void {
    if (this.#pieces === null && this.#whole === null && chunk.byteLength === this.#sizeBytes)
      this.#whole = hash('sha256', chunk);
    else this.#pieces = (this.#pieces ?? createHash('sha256')).update(chunk);
  }

  /** In hexadecimal. */
  end(): string {
    return this.#whole ?? (this.#pieces ?? createHash('sha256')).digest('hex');
  }
}
