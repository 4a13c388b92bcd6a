import { appendFile, type FileHandle, mkdir, open, rename, rm } from 'node:fs/promises';
import path from 'node:path';
import { exists, freshName, readTextIfThere, removeStale } from './files.ts';

const fileName = 'history-cache.jsonl';

/**
 * The file in which a survey remembers the commits that it read. It may be removed at any time, and whatever goes wrong with it
 * only makes a survey slower; so nothing is flushed to the disk, and no fault of it is an error.
 */
export class HistoryCacheFile {
  readonly #commonFolder: string;
  readonly #file: string;

  /** @param commonFolder the git folder that all worktrees share. */
  constructor(commonFolder: string) {
    this.#commonFolder = commonFolder;
    this.#file = path.join(commonFolder, 'bevelstone', fileName);
  }

  /** Null where there is none, or where parents of commits are not what the commits say (gitrepository-layout(5), `info/grafts`). */
  async read(): Promise<string | null> {
    try {
      if (await exists(path.join(this.#commonFolder, 'info', 'grafts'))) return null;
      return await readTextIfThere(this.#file);
    } catch {
      return null;
    }
  }

  /** Adds to the file in one write, so that of two surveys at the same time each adds all of its own. */
  async append(text: string): Promise<void> {
    await appendFile(this.#file, text).catch(() => {});
  }

  /** A new file, which replaces the old one when it is complete. */
  begin(): NewHistoryCache {
    return new NewHistoryCache(this.#file);
  }
}

/** A file that is being written under a name of its own. */
export class NewHistoryCache {
  readonly #final: string;
  readonly #fresh: string;
  #handle: Promise<FileHandle | null> | null = null;

  constructor(final: string) {
    this.#final = final;
    this.#fresh = freshName(final);
  }

  async write(text: string): Promise<void> {
    try {
      await (await this.#open())?.write(text);
    } catch {
      await this.discard();
    }
  }

  /** Puts it in the place of the old one. */
  async settle(): Promise<void> {
    const handle = await this.#handle;
    if (handle === null) return;
    try {
      await handle.close();
      await rename(this.#fresh, this.#final);
      this.#handle = null;
    } catch {
      await this.discard();
    }
  }

  /** Leaves nothing of it, unless it has its place already. */
  async discard(): Promise<void> {
    if (this.#handle === null) return;
    const handle = await this.#handle;
    this.#handle = Promise.resolve(null);
    await handle?.close().catch(() => {});
    await rm(this.#fresh, { force: true }).catch(() => {});
  }

  #open(): Promise<FileHandle | null> {
    this.#handle ??= (async () => {
      await mkdir(path.dirname(this.#final), { recursive: true });
      await removeStale(this.#final);
      return open(this.#fresh, 'wx');
    })().catch(() => null);
    return this.#handle;
  }
}
