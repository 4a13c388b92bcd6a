/** The beginning of a changelog that is not there yet. @param file its path: the ending tells the markup. */
export function newChangelog(file: string, name: string): string {
  const title = `Changes of ${name}`;
  if (/(?:^|\/)debian\/changelog$/.test(file)) return '';
  return /\.rst$/i.test(file) ? `${title}\n${'='.repeat(title.length)}\n` : `# ${title}\n`;
}
