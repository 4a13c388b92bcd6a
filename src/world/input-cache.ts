import { mkdir, rename, stat } from 'node:fs/promises';
import path from 'node:path';
import { fileDigest } from './archive/file-digest.ts';
import { isMissing, readTextIfThere, removeFile, writeWhole } from './files.ts';
import { ownFile } from './leftovers.ts';

/** A file that is in the cache. */
export type CachedFile = { readonly file: string; readonly sizeBytes: number; readonly sha256: string };

/**
 * Files by their SHA-256 in the git folder, so that what was fetched once is there without a network, and cleaning the working
 * folder keeps it.
 */
export class InputCache {
  readonly #commonFolder: string;
  readonly #folder: string;

  /** @param commonFolder absolute path of the git folder. */
  constructor(commonFolder: string) {
    this.#commonFolder = commonFolder;
    this.#folder = path.join(commonFolder, 'bevelstone', 'inputs');
  }

  /** What has this digest, read again: a file that was changed meanwhile is removed. Null when there is none. */
  async find(sha256: string): Promise<CachedFile | null> {
    const file = path.join(this.#folder, sha256);
    try {
      const { size } = await stat(file);
      if ((await fileDigest(file, size)) === sha256) return { file, sizeBytes: size, sha256 };
    } catch (error) {
      if (isMissing(error)) return null;
      throw error;
    }
    await removeFile(file);
    return null;
  }

  /** Has a file filled and then named by its digest; when filling fails, nothing stays. */
  async fill<Filled extends { readonly sizeBytes: number; readonly sha256: string }>(
    fill: (file: string) => Promise<Filled>,
    accept: (filled: Filled) => void,
  ): Promise<CachedFile> {
    await mkdir(this.#folder, { recursive: true });
    const own = await ownFile(this.#commonFolder, 'input');
    try {
      const filled = await fill(own.file);
      accept(filled);
      const file = path.join(this.#folder, filled.sha256);
      await rename(own.file, file);
      return { file, sizeBytes: filled.sizeBytes, sha256: filled.sha256 };
    } finally {
      await own.remove();
    }
  }

  /** By whom a cached file is signed as far as that was checked with a key; null when it was not. */
  async signerOf(sha256: string, keySha256: string): Promise<string | null> {
    return readTextIfThere(this.#signerFile(sha256, keySha256));
  }

  /** Remembers by whom a file is signed. */
  async rememberSigner(sha256: string, keySha256: string, by: string): Promise<void> {
    await writeWhole(this.#signerFile(sha256, keySha256), by);
  }

  #signerFile(sha256: string, keySha256: string): string {
    return path.join(this.#folder, `${sha256}.signed-${keySha256}`);
  }
}
