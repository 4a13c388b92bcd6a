import { hash } from 'node:crypto';
import type { ReadEntry } from '../../core/contents/entry.ts';
import type { ArchiveBudget } from './budget.ts';
import { EntryDigests } from './entry-digest.ts';

/** Somebody who looks at the bytes of entries while they pass. */
export type EntryWatcher = {
  /** Whether the whole content is wanted, up to the limit for kept bytes. */
  readonly wants?: (path: string, sizeBytes: number) => boolean;
  /** Gets every chunk of every file; reading goes on when its promise is kept. */
  readonly chunk?: (path: string, chunk: Uint8Array, isFirst: boolean) => void | Promise<void>;
};

/** What an entry's header says before its bytes come. */
export type EntryHeader = Omit<ReadEntry, 'sha256'>;

/** Takes the bytes of one file, piece by piece. */
export type EntrySink = {
  /** @returns a promise when the watcher needs time. */
  readonly write: (chunk: Uint8Array) => void | Promise<void>;
  readonly end: () => void;
};

/** Takes entries as they come: digests them, keeps what is wanted, shows the rest to the watcher. */
export class EntryCollector {
  readonly #kept = new Map<string, Buffer>();
  /** All that came, in order; the digests of files follow at the end, and are '' until then. */
  readonly #entries: { -readonly [Key in keyof ReadEntry]: ReadEntry[Key] }[] = [];
  #owner: string | null = null;
  readonly #watcher: EntryWatcher;
  readonly #budget: ArchiveBudget;
  readonly #digests: EntryDigests;

  constructor(watcher: EntryWatcher, budget: ArchiveBudget) {
    [this.#watcher, this.#budget] = [watcher, budget];
    this.#digests = new EntryDigests(watcher.chunk !== undefined);
  }

  /** All entries in order with their digests, and the contents that were wanted. */
  async finish(): Promise<{ readonly entries: readonly ReadEntry[]; readonly kept: ReadonlyMap<string, Buffer> }> {
    const digests = await this.#digests.finish();
    let file = 0;
    for (const entry of this.#entries) if (entry.sha256 === '') entry.sha256 = digests[file++] as string;
    return { entries: this.#entries, kept: this.#kept };
  }

  /** A link, folder or special file. @throws ARCHIVE_TOO_LARGE */
  add(header: EntryHeader): void {
    this.#budget.entry();
    this.#push(header, header.linkname === null ? null : hash('sha256', header.linkname));
  }

  /** A file whose bytes follow. @throws ARCHIVE_TOO_LARGE here and with every piece. */
  begin(header: EntryHeader): EntrySink {
    const { path, sizeBytes } = header;
    this.#budget.entry();
    const isWanted = this.#watcher.wants?.(path, sizeBytes) === true && this.#budget.keeps(sizeBytes);
    const parts: Uint8Array[] = [];
    const digest = this.#digests.begin(sizeBytes);
    let isFirst = true;
    return {
      write: (chunk) => {
        this.#budget.unpacked(chunk.byteLength);
        // A stream's buffer may be used again once it has been read.
        if (isWanted) parts.push(Buffer.from(chunk));
        const behind = digest.update(chunk);
        const busy = this.#watcher.chunk?.(path, chunk, isFirst);
        isFirst = false;
        return behind === null ? busy : behind.then(() => busy);
      },
      end: () => {
        if (isWanted) this.#kept.set(path, Buffer.concat(parts));
        digest.end();
        this.#push(header, '');
      },
    };
  }

  #push({ path, type, sizeBytes, mode, linkname, mtime, owner }: EntryHeader, sha256: string | null): void {
    // Most neighbours have the same owner, and a text for each would take as much memory as the paths.
    if (owner !== this.#owner) this.#owner = owner;
    this.#entries.push({ path, type, sizeBytes, mode, linkname, sha256, mtime, owner: this.#owner });
  }

  /** A file with its bytes. @throws ARCHIVE_TOO_LARGE */
  async file(header: EntryHeader, chunks: AsyncIterable<Uint8Array> | Iterable<Uint8Array>): Promise<void> {
    const sink = this.begin(header);
    for await (const chunk of chunks) {
      const busy = sink.write(chunk);
      if (busy !== undefined) await busy;
    }
    sink.end();
  }
}
