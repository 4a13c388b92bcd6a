import type { SurfaceSource } from '../reader.ts';
import type { NotChecked } from '../surface.ts';
import type { Parse, SyntaxNode } from './parser.ts';

/**
 * Reads sources one by one; what cannot be read is added to `notChecked`, with the reason.
 * @returns what `use` made of each that could be read.
 */
export function readSources<T>(
  {
    source,
    parse,
    paths,
    notChecked,
    prepare = (text) => text,
  }: {
    readonly source: SurfaceSource;
    readonly parse: Parse;
    readonly paths: readonly string[];
    readonly notChecked: NotChecked[];
    /** Turns a source into one that the parser understands, line by line. */
    readonly prepare?: (text: string) => string;
  },
  use: (root: SyntaxNode, path: string) => T,
): T[] {
  return paths.flatMap((path): T[] => {
    const why = (text: string): T[] => {
      notChecked.push({ entry: path, why: text });
      return [];
    };
    const bytes = source.bytes(path);
    if (bytes === null) return why('it is too large to be read');
    try {
      const text = prepare(new TextDecoder().decode(bytes));
      const read = parse(text, (root) => ({ found: use(root, path) }));
      return read === null ? why('it is too large to be read') : [read.found];
    } catch (error) {
      // What nests very deep is followed by recursion, which uses up the stack.
      if (error instanceof RangeError) return why('it nests too deep to be read');
      throw error;
    }
  });
}
