/** A text as one word of a POSIX shell: as it is where nothing in it is special, else in single quotes. */
export function quoteShell(text: string): string {
  return /^[\w@%+=:,./-]+$/.test(text) ? text : `'${text.replaceAll("'", `'\\''`)}'`;
}
