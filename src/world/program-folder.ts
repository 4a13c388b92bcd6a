import { existsSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

/** The folder that the program is installed in: the nearest one above this file with a package.json. */
export function programFolder(): string {
  let folder = path.dirname(fileURLToPath(import.meta.url));
  while (!existsSync(path.join(folder, 'package.json'))) {
    if (folder === path.dirname(folder)) throw new Error('the program is not in a package');
    folder = path.dirname(folder);
  }
  return folder;
}
