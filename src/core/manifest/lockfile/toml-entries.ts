/** One `[[package]]` of a lockfile in TOML, with its text. */
export type TomlEntry = { readonly text: string; readonly name: string; readonly version: string | null };

/** Splits a lockfile into what stands before its packages, and the packages with all that belongs to each. */
export function splitEntries(text: string): { readonly head: string; readonly entries: readonly TomlEntry[] } {
  const start = text.search(/^\[\[package\]\]/m);
  const head = start === -1 ? text : text.slice(0, start);
  const parts = text
    .slice(head.length)
    .split(/^(?=\[\[package\]\])/m)
    .filter((part) => part !== '');
  return {
    head,
    entries: parts.map((part) => ({ text: part, name: field(part, 'name') ?? '', version: field(part, 'version') })),
  };
}

/** The package's own field of this name. */
export function field(text: string, name: string): string | null {
  const own = text.split(/^\[(?!\[package\]\])/m)[0] ?? '';
  return new RegExp(`^${name}[ \\t]*=[ \\t]*"([^"\\n]*)"`, 'm').exec(own)?.[1] ?? null;
}

/** The text with another value of the package's own field. */
export function withField(text: string, name: string, value: string): string {
  return text.replace(
    new RegExp(`^(${name}[ \\t]*=[ \\t]*")[^"\\n]*(")`, 'm'),
    (_, lead: string, end: string) => `${lead}${value}${end}`,
  );
}
