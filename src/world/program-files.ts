import { readFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { isMissing } from './files.ts';

const here = path.dirname(fileURLToPath(import.meta.url));

/** Beside the built program, or beside the chunk that this is in. */
const beside = (folder: string) => [folder, `../${folder}`];
const installed = '../../node_modules';

/** Text of a declaration file of the TypeScript compiler, such as `lib.es5.d.ts`; null when there is none of the name. */
export function compilerLibraryText(name: string): string | null {
  if (!/^lib\.[\w.-]+\.d\.ts$/.test(name)) return null;
  return fileIn([...beside('types'), `${installed}/typescript/lib`], name)?.toString('utf8') ?? null;
}

/** A file of the parser for sources: `web-tree-sitter`, or the grammar of a language such as `tree-sitter-go`. */
export function grammarFile(name: string): Uint8Array {
  const found = fileIn([...beside('grammars'), '.', 'chunk', `${installed}/${name}`], `${name}.wasm`);
  if (found === null) throw new Error(`${name}.wasm is missing from this program`);
  return found;
}

/** In a checkout, the last folder is where npm installed the package. */
function fileIn(folders: readonly string[], name: string): Buffer | null {
  for (const folder of folders)
    try {
      return readFileSync(path.join(here, folder, name));
    } catch (error) {
      if (!isMissing(error)) throw error;
    }
  return null;
}
