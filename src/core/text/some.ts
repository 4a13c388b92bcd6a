/** The first of many names, and how many more there are. */
export function some(names: readonly string[], most = 3): string {
  return names.slice(0, most).join(', ') + (names.length > most ? ` and ${names.length - most} more` : '');
}
