import { createHash, type Hash, hash } from 'node:crypto';
import { digestBatch } from './entry-digest-thread.ts';

const batchBytes = 1 << 20;
const maxInFlight = 4;
/** A smaller archive is digested before another thread has started. */
const worthAThread = 4 << 20;

/** Takes the bytes of one entry. */
export type DigestedEntry = {
  /** @returns a promise when the other thread is behind and should be waited for. */
  readonly update: (chunk: Uint8Array) => Promise<void> | null;
  readonly end: () => void;
};

/** Memory of batches that were digested. */
const spare: Uint8Array[] = [];

/** A batch being filled: whole entries, one behind the other. */
type Batch = { readonly bytes: Uint8Array; used: number; readonly ends: number[]; readonly indexes: number[] };

/**
 * SHA-256 of entries, whose bytes come in pieces. Where the thread that reads has other work to do with them, a second thread
 * digests all but the largest. Otherwise it would only take turns with the one that unpacks.
 */
export class EntryDigests {
  readonly #isBusy: boolean;
  readonly #digests: string[] = [];
  readonly #underWay = new Set<Promise<void>>();
  #count = 0;
  #passed = 0;
  #batch: Batch | null = null;
  #failure: { readonly error: unknown } | null = null;

  /** @param isBusy whether somebody else looks at the bytes on this thread. */
  constructor(isBusy: boolean) {
    this.#isBusy = isBusy;
  }

  /** The next entry; the one before has ended. @param sizeBytes what its header says. */
  begin(sizeBytes: number): DigestedEntry {
    const index = this.#count++;
    const isSent = this.#isBusy && this.#passed >= worthAThread && sizeBytes <= batchBytes;
    this.#passed += sizeBytes;
    return isSent ? this.#sent(index, sizeBytes) : this.#here(index, sizeBytes);
  }

  /** The digests in hexadecimal, in the order of the entries. */
  async finish(): Promise<readonly string[]> {
    this.#send();
    await Promise.all(this.#underWay);
    if (this.#failure !== null) throw this.#failure.error;
    return this.#digests;
  }

  /** An entry that comes whole is digested in one call, which costs less. */
  #here(index: number, sizeBytes: number, before: Uint8Array | null = null): DigestedEntry {
    let whole: string | null = null;
    let pieces: Hash | null = before === null ? null : createHash('sha256').update(before);
    return {
      update: (chunk) => {
        if (pieces === null && whole === null && chunk.byteLength === sizeBytes) whole = hash('sha256', chunk);
        else pieces = (pieces ?? createHash('sha256')).update(chunk);
        return null;
      },
      end: () => {
        this.#digests[index] = whole ?? (pieces ?? createHash('sha256')).digest('hex');
      },
    };
  }

  #sent(index: number, sizeBytes: number): DigestedEntry {
    if (this.#batch !== null && this.#batch.used + sizeBytes > batchBytes) this.#send();
    this.#batch ??= { bytes: spare.pop() ?? new Uint8Array(batchBytes), used: 0, ends: [], indexes: [] };
    const batch = this.#batch;
    const start = batch.used;
    /** Has the entry when it has more bytes than its header said. */
    let longer: DigestedEntry | null = null;
    return {
      update: (chunk) => {
        if (longer === null && batch.used - start + chunk.byteLength > sizeBytes) {
          longer = this.#here(index, sizeBytes, batch.bytes.slice(start, batch.used));
          batch.used = start;
        }
        if (longer !== null) return longer.update(chunk);
        batch.bytes.set(chunk, batch.used);
        batch.used += chunk.byteLength;
        return this.#underWay.size < maxInFlight ? null : Promise.race(this.#underWay);
      },
      end: () => {
        if (longer !== null) return longer.end();
        batch.ends.push(batch.used);
        batch.indexes.push(index);
      },
    };
  }

  #send(): void {
    if (this.#batch === null) return;
    const { bytes, ends, indexes } = this.#batch;
    this.#batch = null;
    const task = digestBatch(bytes, ends)
      .then(
        (digested) => {
          for (const [at, index] of indexes.entries()) this.#digests[index] = digested.digests[at] as string;
          spare.push(digested.bytes);
        },
        (error: unknown) => {
          this.#failure ??= { error };
        },
      )
      .finally(() => this.#underWay.delete(task));
    this.#underWay.add(task);
  }
}
