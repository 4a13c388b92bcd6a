import { mkdir, open, rename, rm } from 'node:fs/promises';
import path from 'node:path';
import { readTextIfThere, writeWhole } from '../world/files.ts';

/** One package document with its versions and pointers, as the protocol has it. */
export type StoredPackage = {
  readonly name: string;
  readonly 'dist-tags': Readonly<Record<string, string>>;
  readonly versions: Readonly<Record<string, Readonly<Record<string, unknown>>>>;
  readonly time: Readonly<Record<string, string>>;
  readonly description?: unknown;
  readonly readme?: unknown;
};

/** Packages on disk: a folder for each, its document and its tarballs. Tarballs come first, so no document names one that is not whole. */
export class NpmStore {
  readonly #folder: string;
  readonly #busy = new Map<string, Promise<unknown>>();

  constructor(folder: string) {
    this.#folder = folder;
  }

  async read(name: string): Promise<StoredPackage | null> {
    const text = await readTextIfThere(path.join(this.#place(name), 'package.json'));
    return text === null ? null : (JSON.parse(text) as StoredPackage);
  }

  async write(stored: StoredPackage): Promise<void> {
    await writeWhole(path.join(this.#place(stored.name), 'package.json'), JSON.stringify(stored));
  }

  async writeTarball(name: string, version: string, bytes: Uint8Array): Promise<void> {
    const file = this.tarball(name, version);
    await mkdir(path.dirname(file), { recursive: true });
    const temporary = `${file}.tmp`;
    try {
      const handle = await open(temporary, 'w');
      await handle.writeFile(bytes);
      await handle.sync();
      await handle.close();
      await rename(temporary, file);
    } finally {
      await rm(temporary, { force: true });
    }
  }

  /** Where the tarball of a version lies. */
  tarball(name: string, version: string): string {
    return path.join(this.#place(name), `${encodeURIComponent(version)}.tgz`);
  }

  /** Runs work on one package after other work on it, so that two writers never mix. */
  async alone<Value>(name: string, work: () => Promise<Value>): Promise<Value> {
    const before = this.#busy.get(name) ?? Promise.resolve();
    const mine = before.then(work, work);
    this.#busy.set(
      name,
      mine.catch(() => {}),
    );
    return mine;
  }

  /** Names come from outside; encoded they are one path part that climbs nowhere. */
  #place(name: string): string {
    return path.join(this.#folder, `_${encodeURIComponent(name)}`);
  }
}
