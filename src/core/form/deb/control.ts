/**
 * A stanza of a Debian control file (Debian Policy §5.1): one field a line, further lines of a value behind a space, an empty
 * one as ` .`.
 */
export function formatControl(fields: Readonly<Record<string, string>>): string {
  return Object.entries(fields)
    .map(([name, value]) => {
      const [first = '', ...more] = value.trimEnd().split(/\r?\n/);
      return `${name}: ${[first.trim(), ...more.map((line) => ` ${line.trim() === '' ? '.' : line}`)].join('\n')}\n`;
    })
    .join('');
}

/** The fields of the first stanza, further lines joined by line ends. */
export function parseControl(text: string): Record<string, string> {
  const fields: Record<string, string> = {};
  let name = '';
  for (const line of (text.split(/\n[ \t]*\n/)[0] ?? '').split('\n')) {
    const match = /^([^\s:]+):[ \t]*(.*)$/.exec(line);
    if (match !== null) {
      name = match[1] ?? '';
      fields[name] = (match[2] ?? '').trim();
    } else if (/^[ \t]/.test(line) && name !== '') {
      fields[name] += `\n${line.trim() === '.' ? '' : line.slice(1)}`;
    }
  }
  return fields;
}
