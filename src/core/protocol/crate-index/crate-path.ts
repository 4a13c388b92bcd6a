// Where an index has a crate (The Cargo Book, "Registry Index", "Index files"; RFC 2789 for the sparse protocol).

/** Path of the file of a crate in an index, in small letters. */
export function indexPath(name: string): string {
  const lower = name.toLowerCase();
  if (lower.length <= 2) return `${lower.length}/${lower}`;
  if (lower.length === 3) return `3/${lower[0]}/${lower}`;
  return `${lower.slice(0, 2)}/${lower.slice(2, 4)}/${lower}`;
}

/** Whether a name can be that of a crate: ASCII letters, digits, `-`, `_`, a letter first ("Name restrictions"). */
export function isCrateName(name: string): boolean {
  return /^[A-Za-z][A-Za-z0-9_-]{0,63}$/.test(name);
}

/** Names that differ in nothing else than case, `-` and `_` are one name ("Name restrictions"). */
export function comparedName(name: string): string {
  return name.toLowerCase().replaceAll('_', '-');
}
