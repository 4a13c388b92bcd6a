import { createHash, randomBytes, randomInt } from 'node:crypto';
import { mkdirSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { link, mkdir, open, rename, rmdir, stat } from 'node:fs/promises';
import path from 'node:path';
import { BevelstoneError, isBevelstoneError } from '../core/error/bevelstone-error.ts';
import { exists, namesIn, removeFile } from './files.ts';
import { ownFile, sweepLeftovers } from './leftovers.ts';
import { countDown, pauseFor } from './poll.ts';
import { takeLock } from './run-lock.ts';

/**
 * Writes files into a folder that others may be looking at. Whatever is half-written lies outside of it, in a hidden folder
 * beside it on the same file system, and gets its place by one rename. What killed processes left there is removed first.
 */
export class Incoming {
  readonly #served: string;
  #place: Promise<string> | null = null;
  /** Ends when everything that `together` was asked for by now is done. */
  #turn: Promise<unknown> = Promise.resolve();
  #isAlone = false;

  /** @param served absolute path of the folder. */
  constructor(served: string) {
    this.#served = served;
  }

  /**
   * Writes one file whole or not at all.
   * @param isNew whether a file that is there already is left alone. @throws an error with code EEXIST then.
   */
  async write(target: string, chunks: AsyncIterable<Uint8Array> | Iterable<Uint8Array>, isNew: boolean): Promise<void> {
    this.#place ??= this.#prepare();
    const place = await this.#place;
    try {
      await this.#writeVia({ own: await ownFile(place, 'file'), target, chunks, isNew });
    } finally {
      await this.#clear(place);
    }
  }

  /** Writes a small text whole or not at all, in place of the one that is there. */
  async rewrite(target: string, text: string): Promise<void> {
    if (!this.#isAlone || this.#place === null) return this.write(target, [Buffer.from(text)], false);
    // Whoever is alone needs no place of its own, which others would know for that of a running process.
    replaceText(path.join(await this.#place, soleName()), target, text);
  }

  /** Whether work of `together` is running. */
  get isAlone(): boolean {
    return this.#isAlone;
  }

  /**
   * Runs work that reads and writes several files, while no other work of this kind is running on the folder: here, in another
   * process, or on another machine that sees it. Such work never begins more of its kind.
   * @throws DESTINATION_BUSY when others are at work for a minute.
   */
  together<Value>(work: () => Promise<Value>): Promise<Value> {
    const turn = this.#turn.then(() => this.#runAlone(work));
    this.#turn = turn.catch(() => {});
    return turn;
  }

  async #runAlone<Value>(work: () => Promise<Value>): Promise<Value> {
    this.#place ??= this.#prepare();
    const place = await this.#place;
    const release = await takeSoon(path.join(place, 'lock'), this.#served);
    try {
      await removeSole(place);
      this.#isAlone = true;
      return await work();
    } finally {
      this.#isAlone = false;
      await release();
    }
  }

  /** Nothing is removed around a lock, which stays. */
  async #clear(place: string): Promise<void> {
    if (!(await exists(path.join(place, 'lock')))) await removeEmpty(place);
  }

  async #writeVia({
    own,
    target,
    chunks,
    isNew,
  }: {
    readonly own: Awaited<ReturnType<typeof ownFile>>;
    readonly target: string;
    readonly chunks: AsyncIterable<Uint8Array> | Iterable<Uint8Array>;
    readonly isNew: boolean;
  }): Promise<void> {
    try {
      const handle = await open(own.file, 'wx', 0o644);
      try {
        for await (const chunk of chunks) await handle.writeFile(chunk);
        await handle.sync();
      } finally {
        await handle.close();
      }
      await mkdir(path.dirname(target), { recursive: true });
      await this.#settle(own.file, target, isNew);
    } finally {
      await own.remove();
    }
  }

  /** A link refuses where a rename would write over what another run has laid there meanwhile. */
  async #settle(from: string, target: string, isNew: boolean): Promise<void> {
    if (!isNew) return rename(from, target);
    try {
      await link(from, target);
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      if (code === 'EEXIST' || !['EPERM', 'ENOTSUP', 'ENOSYS', 'EMLINK'].includes(code ?? '')) throw error;
      // A file system without hard links.
      if (await exists(target)) throw Object.assign(new Error(`${target} is there already`), { code: 'EEXIST' });
      await rename(from, target);
    }
  }

  async #prepare(): Promise<string> {
    await mkdir(this.#served, { recursive: true });
    const name = `.bevelstone-incoming-${createHash('sha256').update(this.#served).digest('hex').slice(0, 12)}`;
    const beside = path.join(path.dirname(this.#served), name);
    const isBeside = (await deviceOf(path.dirname(this.#served))) === (await deviceOf(this.#served));
    // Where the folder is a mount of its own, or nothing may be written beside it, a hidden folder inside has to do.
    const place = isBeside && (await canMake(beside)) ? beside : path.join(this.#served, name);
    await mkdir(place, { recursive: true, mode: 0o700 });
    await sweepLeftovers(place);
    return place;
  }
}

/** Small files are written soonest without waiting in turn for a thread. */
function replaceText(own: string, target: string, text: string): void {
  try {
    writeFileSync(own, text, { flag: 'wx', flush: true, mode: 0o644 });
    mkdirSync(path.dirname(target), { recursive: true });
    renameSync(own, target);
  } catch (error) {
    rmSync(own, { force: true });
    throw error;
  }
}

const soleName = () => `sole-${randomBytes(6).toString('hex')}`;

/** What those who were alone before left behind when they were killed. */
async function removeSole(place: string): Promise<void> {
  for (const name of (await namesIn(place)).filter((name) => name.startsWith('sole-')))
    await removeFile(path.join(place, name));
}

const patienceMs = 60_000;

/** Takes a lock as soon as whoever has it is done: an index is written in a moment. */
async function takeSoon(lock: string, served: string): Promise<() => Promise<void>> {
  const left = countDown(patienceMs);
  for (;;) {
    try {
      return await takeLock(lock);
    } catch (cause) {
      if (!isBevelstoneError(cause, 'RUN_BUSY')) throw cause;
      if (left() <= 0)
        throw new BevelstoneError('DESTINATION_BUSY', {
          message: `cannot write to ${served}`,
          why: `others have been writing there for a minute: ${cause.why}`,
          fix: `Run the same command again; finished uploads are kept. If no other publisher is running, delete ${lock}`,
          cause,
        });
      await pauseFor(randomInt(5, 40));
    }
  }
}

async function canMake(folder: string): Promise<boolean> {
  try {
    await mkdir(folder, { recursive: true, mode: 0o700 });
    return true;
  } catch (error) {
    if (['EACCES', 'EPERM', 'EROFS'].includes((error as NodeJS.ErrnoException).code ?? '')) return false;
    throw error;
  }
}

async function deviceOf(folder: string): Promise<number> {
  return (await stat(folder)).dev;
}

/** Removes what is empty of the folder; what others are writing into stays. */
async function removeEmpty(place: string): Promise<void> {
  for (const folder of [path.join(place, 'bevelstone', 'at-work'), path.join(place, 'bevelstone'), place]) {
    try {
      await rmdir(folder);
    } catch {
      return;
    }
  }
}
