import { readFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { isMissing } from './files.ts';

const here = path.dirname(fileURLToPath(import.meta.url));

/** Beside the built program, or beside the chunk that this is in; in a checkout, where npm installed the compiler. */
const folders = ['types', '../types', '../../node_modules/typescript/lib'];

/** Text of a declaration file of the TypeScript compiler, such as `lib.es5.d.ts`; null when there is none of the name. */
export function compilerLibraryText(name: string): string | null {
  if (!/^lib\.[\w.-]+\.d\.ts$/.test(name)) return null;
  for (const folder of folders)
    try {
      return readFileSync(path.join(here, folder, name), 'utf8');
    } catch (error) {
      if (!isMissing(error)) throw error;
    }
  return null;
}
