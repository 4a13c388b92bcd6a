// Conventional Commits 1.0.0. Numbers below are the items of its specification.

/** `kind(scope)!: summary` (items 1 to 5, 13). */
export type Header = {
  readonly kind: string;
  readonly scope: string | null;
  readonly breaking: boolean;
  readonly summary: string;
};

/** `Token: value` or `Token #value` (items 8 to 10). */
export type Footer = { readonly token: string; readonly value: string };

/** A message taken apart. */
export type Message = {
  readonly subject: string;
  readonly header: Header | null;
  /** Body lines without footers. */
  readonly body: readonly string[];
  readonly footers: readonly Footer[];
};

const headerPattern = /^([\p{L}\p{N}][\p{L}\p{N}_-]*)(?:\(([^()]+)\))?(!)?: +(\S.*)$/u;
const footerPattern = /^(BREAKING[ -]CHANGE|[\p{L}\p{N}][\p{L}\p{N}-]*)(?:: +| (?=#))(.*)$/u;

/** Takes a line apart as a header, or null when it is none. */
export function parseHeader(line: string): Header | null {
  const match = headerPattern.exec(line.trim());
  if (match === null) return null;
  const [, kind = '', scope, mark, summary = ''] = match;
  return { kind: kind.toLowerCase(), scope: scope?.trim() || null, breaking: mark === '!', summary: summary.trim() };
}

/** Takes a whole message apart. Any text is a message; lines that do not match the grammar belong to the body. */
export function parseMessage(message: string): Message {
  const lines = message.split(/\r\n|\n|\r/);
  const subject = (lines[0] ?? '').trim();
  const { body, footers } = splitFooters(lines.slice(1));
  return { subject, header: parseHeader(subject), body, footers };
}

/** The notes of all footers that say what breaks (items 11, 12 and 16). */
export function breakingNotes(footers: readonly Footer[]): string[] {
  return footers.filter(isBreaking).map(({ value }) => value);
}

/** Values of the footers with this token, which is compared without case (item 15). */
export function footerValues(footers: readonly Footer[], token: string): string[] {
  return footers.filter((footer) => footer.token.toLowerCase() === token.toLowerCase()).map(({ value }) => value);
}

/**
 * A paragraph whose first line is a footer holds footers. A value goes on to the next footer (item 10), but only a
 * breaking note goes on over an empty line: prose after another footer is body.
 */
function splitFooters(lines: readonly string[]): { body: string[]; footers: Footer[] } {
  const body: string[] = [];
  const footers: { token: string; lines: string[] }[] = [];
  let open: { token: string; lines: string[] } | null = null;
  let afterBlank = true;
  for (const line of lines) {
    const match: RegExpExecArray | null = afterBlank || open !== null ? footerPattern.exec(line) : null;
    if (match !== null) {
      open = { token: match[1] ?? '', lines: [match[2] ?? ''] };
      footers.push(open);
    } else if (line.trim() === '') {
      if (open !== null && !isBreaking(open)) open = null;
      (open?.lines ?? body).push('');
    } else {
      (open?.lines ?? body).push(line);
    }
    afterBlank = line.trim() === '';
  }
  return { body, footers: footers.map(({ token, lines }) => ({ token, value: lines.join('\n').trim() })) };
}

function isBreaking({ token }: { readonly token: string }): boolean {
  return token === 'BREAKING CHANGE' || token === 'BREAKING-CHANGE';
}
