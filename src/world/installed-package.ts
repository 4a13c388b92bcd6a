import { readFileSync } from 'node:fs';
import { readFile, realpath } from 'node:fs/promises';
import path from 'node:path';
import { isMissing, readTextIfThere } from './files.ts';
import { listFiles } from './list-files.ts';

/** A package of an installed tree, as ordinary files for reading. */
export type InstalledPackage = {
  /** Its real folder. */
  readonly folder: string;
  readonly manifestText: string;
  readonly paths: readonly string[];
  readonly readText: (file: string) => Promise<string>;
  /** Text of a package.json in a folder below; null where there is none. */
  readonly nestedManifest: (folder: string) => string | null;
};

/**
 * The package that code in a folder gets by a name (Node.js, "Loading from node_modules folders"): the nearest
 * `node_modules/NAME` on the way up; null when there is none.
 */
export async function findInstalled(name: string, from: string): Promise<InstalledPackage | null> {
  // A name from an archive must not lead elsewhere.
  if (name.split('/').some((part) => part === '..' || part === '.' || part === '') || path.isAbsolute(name))
    return null;
  for (let folder = from; ; folder = path.dirname(folder)) {
    if (path.basename(folder) !== 'node_modules') {
      const found = await openInstalled(path.join(folder, 'node_modules', name));
      if (found !== null) return found;
    }
    if (path.dirname(folder) === folder) return null;
  }
}

/** A package in a folder; null when no manifest lies there. */
export async function openInstalled(place: string): Promise<InstalledPackage | null> {
  const manifestText = await readTextIfThere(path.join(place, 'package.json'));
  if (manifestText === null) return null;
  const folder = await realpath(place);
  const paths = (await listFiles(folder)).map((file) => file.path);
  return {
    folder,
    manifestText,
    paths,
    readText: (file) => readFile(path.join(folder, file), 'utf8'),
    nestedManifest: (inner) => {
      try {
        return readFileSync(path.join(folder, inner, 'package.json'), 'utf8');
      } catch (error) {
        if (isMissing(error)) return null;
        throw error;
      }
    },
  };
}
