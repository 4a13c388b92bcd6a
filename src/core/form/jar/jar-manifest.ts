/**
 * The text of a jar's manifest (JAR File Specification, "JAR Manifest"): CRLF line ends, no line longer than 72 bytes, a
 * continuation begins with a space, an empty line ends the main section.
 * @param attributes in their order; `Manifest-Version` must be the first.
 */
export function formatJarManifest(attributes: Readonly<Record<string, string>>): string {
  const lines = Object.entries(attributes).flatMap(([name, value]) =>
    fold(`${name}: ${value.replace(/[\r\n\0]+/g, ' ')}`),
  );
  return `${lines.join('\r\n')}\r\n\r\n`;
}

/** The main attributes of a jar's manifest, continuation lines joined. */
export function parseJarManifest(text: string): Record<string, string> {
  const unfolded = text.replace(/\r\n?/g, '\n').replace(/\n /g, '');
  const main = unfolded.split('\n\n')[0] ?? '';
  return Object.fromEntries(
    main.split('\n').flatMap((line) => {
      // A value may hold U+2028, which ends a line for regular expressions and not for this format.
      const match = /^([A-Za-z0-9][\w-]*): ?([^\n]*)$/.exec(line);
      return match === null ? [] : [[match[1] ?? '', match[2] ?? ''] as const];
    }),
  );
}

const maxBytes = 72;

/** Pieces of at most 72 bytes, cut between characters. */
function fold(line: string): string[] {
  const pieces: string[] = [];
  let piece = '';
  for (const character of line) {
    if (Buffer.byteLength(piece + character) > maxBytes) {
      pieces.push(piece);
      piece = ' ';
    }
    piece += character;
  }
  return [...pieces, piece];
}

/**
 * A name that an automatic module may have, from Maven coordinates (JLS §7.7.1: identifiers joined by dots): `g.a`, without
 * what the group says already.
 */
export function moduleNameOf(group: string, artifact: string): string {
  const parts = [...group.split('.'), ...artifact.split(/[^A-Za-z0-9_]+/)].filter(Boolean);
  const distinct = parts.filter((part, index) => part !== parts[index - 1]);
  return distinct.map((part) => (/^\d/.test(part) ? `_${part}` : part.replace(/[^\w$]/g, '_'))).join('.');
}
