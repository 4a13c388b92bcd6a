/** Global names that the compiler's declarations of the browser bring: as types, and as values alone. */
type BrowserNames = { readonly types: ReadonlySet<string>; readonly values: ReadonlySet<string> };

/** The compiler's declarations of the browser. */
export const browserLibrary = 'lib.dom.d.ts';

/**
 * Whether declaration files may mean something that only a browser has. Its declarations are three quarters of all that
 * the compiler has, so they are read only then.
 * @param library text of the compiler's declarations of the browser.
 */
export function meansBrowser(texts: Iterable<string>, library: string): boolean {
  const names = namesOf(library);
  for (const text of texts) {
    // Its whole scope, what every environment adds to, and names that are written otherwise.
    if (/\bglobalThis\b|\bimport\s*\.\s*meta\b|\\u/.test(text)) return true;
    for (const [word] of text.matchAll(/[\w$]+/g)) if (names.types.has(word)) return true;
    // Values have names such as `name` and `length`, and count only where a declaration can refer to one.
    for (const [, word = ''] of text.matchAll(/(?:\b(?:typeof|extends|default|import\s+[\w$]+\s*=)|[=[])\s*([\w$]+)/g))
      if (names.values.has(word)) return true;
  }
  return false;
}

/** The library is the same for every package. */
let known: { readonly library: string; readonly names: BrowserNames } | null = null;

function namesOf(library: string): BrowserNames {
  if (known?.library === library) return known.names;
  const declared = (kinds: string) =>
    new Set(
      [...library.matchAll(new RegExp(`^(?:declare )?(?:${kinds}) ([\\w$]+)`, 'gm'))].map(([, name = '']) => name),
    );
  known = {
    library,
    names: { types: declared('interface|type|namespace|class'), values: declared('var|let|const|function') },
  };
  return known.names;
}
