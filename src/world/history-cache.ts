import { appendFile, mkdir, rename, rm, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { exists, freshName, readBytesIfThere, removeStale } from './files.ts';

const fileName = 'history-cache';

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

  /** Null where there is none, and where parents of commits are not what the commits say (gitrepository-layout(5), `info/grafts`). */
  async read(): Promise<Uint8Array | null> {
    try {
      if (await exists(path.join(this.#commonFolder, 'info', 'grafts'))) return null;
      return await readBytesIfThere(this.#file);
    } catch {
      return null;
    }
  }

  /** Adds to the file in one write, so that of two surveys at the same time each adds all of its own. */
  async append(bytes: Uint8Array): Promise<void> {
    await appendFile(this.#file, bytes).catch(() => {});
  }

  /** Writes the file anew, under a name of its own until it is complete. */
  async replace(pieces: Iterable<Uint8Array>): Promise<void> {
    const fresh = freshName(this.#file);
    try {
      await mkdir(path.dirname(this.#file), { recursive: true });
      await removeStale(this.#file);
      await writeFile(fresh, pieces, { flag: 'wx' });
      await rename(fresh, this.#file);
    } catch {
      await rm(fresh, { force: true }).catch(() => {});
    }
  }
}
