import { readFileSync } from 'node:fs';
import path from 'node:path';
import { isMissing } from './files.ts';
import { programFolder } from './program-folder.ts';

/** Text of a declaration file of the TypeScript compiler, such as `lib.es5.d.ts`; null when there is none of the name. */
export function compilerLibraryText(name: string): string | null {
  if (!/^lib\.[\w.-]+\.d\.ts$/.test(name)) return null;
  // The built program brings them along; a checkout has those of the compiler that is installed.
  for (const folder of ['dist/types', 'node_modules/typescript/lib'])
    try {
      return readFileSync(path.join(programFolder(), folder, name), 'utf8');
    } catch (error) {
      if (!isMissing(error)) throw error;
    }
  return null;
}
