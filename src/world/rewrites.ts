import { readBytesIfThere, removeFile, writeInPlace } from './files.ts';

/** Writes files over and remembers what they were, so that a temporary folder in which nothing else was written can be put back. */
export class Rewrites {
  /** By path; null where there was no file. */
  readonly #before = new Map<string, Uint8Array | null>();

  /** The file keeps its mode. @throws FILE_UNWRITABLE, and what the system says where something else than a file is. */
  async write(file: string, content: string): Promise<void> {
    if (!this.#before.has(file)) this.#before.set(file, await readBytesIfThere(file));
    await writeInPlace(file, content);
  }

  /** Puts all files back; afterwards nothing is remembered. @throws FILE_UNWRITABLE */
  async undo(): Promise<void> {
    for (const [file, before] of this.#before) {
      if (before === null) await removeFile(file);
      else await writeInPlace(file, before);
    }
    this.#before.clear();
  }
}
