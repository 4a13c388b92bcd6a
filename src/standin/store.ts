import { createHash, type Hash, randomBytes } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { link, mkdir, open, readdir, rename, rm, stat, truncate } from 'node:fs/promises';
import path from 'node:path';
import { DigestThread } from '../world/digest-thread.ts';
import { isMissing, readTextIfThere, writeStream, writeWhole } from '../world/files.ts';
import { Refusal } from './refusal.ts';

/** Digests that are taken while a file comes in, in hexadecimal. */
export type DigestName = 'md5' | 'sha1' | 'sha256' | 'sha512';

/** A file that came in whole and lies under a temporary name. */
export type Received = {
  readonly file: string;
  readonly sizeBytes: number;
  readonly digests: Readonly<Record<string, string>>;
};

/** How a file is taken in. */
export type Receiving = {
  readonly digests?: readonly DigestName[];
  readonly maxBytes: number;
  /** For how many bytes there is room; all by default. */
  readonly room?: number;
  /** How long it is said to be. */
  readonly sizeBytes?: number;
  /** False for files that are served only after a later flush. */
  readonly isFlushed?: boolean;
};

/** From this size on several digests are worth a thread. */
const worthAThread = 32 << 20;

/** Digests of what comes in, here or on a thread of their own. */
class DigestsOnTheWay {
  readonly #hashes: readonly (readonly [DigestName, Hash])[];
  readonly #thread: DigestThread | null;

  constructor(names: readonly DigestName[], isLong: boolean) {
    this.#thread = isLong && names.length > 1 ? new DigestThread(names) : null;
    this.#hashes = this.#thread === null ? names.map((name) => [name, createHash(name)]) : [];
  }

  update(chunk: Uint8Array): Promise<void> | null {
    for (const [, hash] of this.#hashes) hash.update(chunk);
    return this.#thread?.update(chunk) ?? null;
  }

  async finish(): Promise<Readonly<Record<string, string>>> {
    if (this.#thread !== null) return this.#thread.finish();
    return Object.fromEntries(this.#hashes.map(([name, hash]) => [name, hash.digest('hex')]));
  }

  stop(): void {
    this.#thread?.stop();
  }
}

/** Files below one folder. What is served was written whole, flushed and renamed; names never leave the folder. */
export class Store {
  readonly folder: string;
  readonly #busy = new Map<string, Promise<unknown>>();

  constructor(folder: string) {
    this.folder = folder;
  }

  /** Where something lies. Every part is encoded: it is one name that climbs nowhere and hides nothing. */
  place(...parts: readonly string[]): string {
    return path.join(this.folder, ...parts.map((part) => `_${encodeURIComponent(part).replaceAll('.', '%2E')}`));
  }

  /** Takes a stream into a temporary file. Whoever calls commits or discards it. */
  async receive(
    body: AsyncIterable<Uint8Array>,
    { digests = [], maxBytes, room, sizeBytes = 0, isFlushed = true }: Receiving,
  ): Promise<Received> {
    await mkdir(this.folder, { recursive: true });
    const file = path.join(this.folder, `${randomBytes(9).toString('hex')}.incoming`);
    const hashes = new DigestsOnTheWay(digests, sizeBytes >= worthAThread);
    let seenBytes = 0;
    const watch = async function* () {
      for await (const chunk of body) {
        seenBytes += chunk.length;
        if (seenBytes > maxBytes) throw new Refusal(413, `more than ${maxBytes} bytes are not taken`);
        if (room !== undefined && seenBytes > room) throw new Refusal(507, 'there is no room left');
        const behind = hashes.update(chunk);
        if (behind !== null) await behind;
        yield chunk;
      }
    };
    try {
      await writeStream(file, watch(), { flush: isFlushed, highWaterMark: 1 << 20 });
      return { file, sizeBytes: seenBytes, digests: await hashes.finish() };
    } catch (error) {
      hashes.stop();
      await rm(file, { force: true });
      if ((error as NodeJS.ErrnoException).code === 'ENOSPC') throw new Refusal(507, 'there is no room left');
      throw error;
    }
  }

  /** Gives a received file its name. @returns false when there is one already, which stays. */
  async commit(received: Received, place: string): Promise<boolean> {
    await mkdir(path.dirname(place), { recursive: true });
    try {
      await link(received.file, place);
      return true;
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === 'EEXIST') return false;
      throw error;
    } finally {
      await rm(received.file, { force: true });
    }
  }

  /** Gives a received file its name, over whatever has it. */
  async replace(received: Received, place: string): Promise<void> {
    await mkdir(path.dirname(place), { recursive: true });
    await rename(received.file, place);
  }

  /** Flushes a file that was received without that, and gives it another place. */
  async move(from: string, place: string): Promise<void> {
    await flushFile(from);
    await mkdir(path.dirname(place), { recursive: true });
    await rename(from, place);
  }

  /** Adds bytes to a file; what came of them is dropped when they end in an error. @returns its size then. */
  async append(file: string, chunks: AsyncIterable<Uint8Array>): Promise<number> {
    const { size } = await stat(file);
    try {
      await writeStream(file, chunks, { flags: 'a' });
    } catch (error) {
      await truncate(file, size);
      throw error;
    }
    return (await stat(file)).size;
  }

  /** Makes sure that what was appended to a file is on the disk. */
  async flush(file: string): Promise<void> {
    await flushFile(file);
  }

  async discard(received: Received): Promise<void> {
    await rm(received.file, { force: true });
  }

  async readJson<Value>(...parts: readonly string[]): Promise<Value | null> {
    const text = await readTextIfThere(this.place(...parts));
    return text === null ? null : (JSON.parse(text) as Value);
  }

  async writeJson(value: unknown, ...parts: readonly string[]): Promise<void> {
    await writeWhole(this.place(...parts), JSON.stringify(value));
  }

  /** Runs work on one thing after other work on it, so that two writers never mix. */
  async alone<Value>(key: string, work: () => Promise<Value>): Promise<Value> {
    const before = this.#busy.get(key) ?? Promise.resolve();
    const mine = before.then(work, work);
    const settled = mine.catch(() => {});
    this.#busy.set(key, settled);
    void settled.then(() => this.#busy.get(key) === settled && this.#busy.delete(key));
    return mine;
  }
}

/** Removes what was coming in when a stand-in was killed: its sender is gone. */
export async function removeIncoming(folder: string): Promise<void> {
  const items = await readdir(folder, { recursive: true, withFileTypes: true });
  for (const item of items)
    if (item.isFile() && /^[0-9a-f]{18}\.incoming$/.test(item.name))
      await rm(path.join(item.parentPath, item.name), { force: true });
}

/** A file to be sent, whole or in part; null when there is none. */
export async function openFile(place: string) {
  try {
    const { size, mtime } = await stat(place);
    const read = (start: number, end: number) => createReadStream(place, { start, end });
    return { sizeBytes: size, modified: mtime, read };
  } catch (error) {
    if (isMissing(error)) return null;
    throw error;
  }
}

/** Makes sure that a file is on the disk. */
async function flushFile(place: string): Promise<void> {
  const handle = await open(place, 'r+');
  try {
    await handle.sync();
  } finally {
    await handle.close();
  }
}

/** Names below a folder of a store, decoded. */
export async function namesIn(folder: string): Promise<string[]> {
  try {
    const names = await readdir(folder);
    return names.filter((name) => name.startsWith('_')).map((name) => decodeURIComponent(name.slice(1)));
  } catch (error) {
    if (isMissing(error)) return [];
    throw error;
  }
}
