import { compareVersions, isVersion } from '../version/version.ts';

/** What became of a changelog. */
export type Inserted = { readonly text: string; readonly change: 'inserted' | 'already-there' };

/** A heading of a changelog that names a version. */
type VersionHeading = { readonly line: number; readonly version: string; readonly style: HeadingStyle };

type HeadingStyle =
  | { readonly type: 'marks'; readonly level: number }
  | { readonly type: 'underlined'; readonly mark: string };

/**
 * Puts the section of a version into a changelog of any layout: before the first section of an older version, in a file
 * that grows downward behind the last newer one. Everything else stays byte for byte, with its line ends and byte order
 * mark; a version that has a section is left as it is, so doing it twice changes nothing.
 * @param section writes the section at a heading level; its line ends are `\n`.
 */
export function insertSection(text: string, version: string, section: (level: number) => string): Inserted {
  const newline = /\r\n/.test(text) ? '\r\n' : '\n';
  const lines = splitLines(text);
  const headings = findHeadings(lines);
  if (headings.some((heading) => compareVersions(heading.version, version) === 0))
    return { text, change: 'already-there' };
  const style = headings[0]?.style ?? { type: 'marks', level: 2 };
  const at = placeFor(headings, version, lines.length);
  const before = lines.slice(0, at).join('');
  const behind = lines.slice(at).join('');
  const body = withHeadingStyle(section(style.type === 'marks' ? style.level : 2), style).replace(/\n/g, newline);
  const gapBefore = gap(before, newline);
  const gapBehind = behind === '' || /^\r?\n/.test(behind) ? '' : newline;
  return { text: `${before}${gapBefore}${body}${gapBehind}${behind}`, change: 'inserted' };
}

/** A changelog of a package that has none yet. */
export function newChangelog(name: string, section: (level: number) => string): string {
  return `# Changes of ${name}\n\n${section(2)}`;
}

function placeFor(headings: readonly VersionHeading[], version: string, end: number): number {
  const [first, second] = headings;
  const growsDown = first !== undefined && second !== undefined && compareVersions(first.version, second.version) < 0;
  const next = headings.find((heading) => compareVersions(heading.version, version) * (growsDown ? -1 : 1) < 0);
  return next?.line ?? end;
}

function findHeadings(lines: readonly string[]): VersionHeading[] {
  const found: VersionHeading[] = [];
  let fencedUntil = -1;
  for (const [line, raw] of lines.entries()) {
    const text = raw.replace(/^\ufeff/, '').trimEnd();
    if (line <= fencedUntil) continue;
    const fence = fenceOf(text);
    if (fence !== null) {
      // One that is never closed hides nothing: what stands behind it is meant to be read.
      fencedUntil = lines.findIndex((other, at) => at > line && (fenceOf(other.trimEnd())?.startsWith(fence) ?? false));
      continue;
    }
    const marks = /^ {0,3}(#{1,6})\s+(.+?)(?:\s+#+)?$/.exec(text);
    const under = /^(=+|-{2,})$/.exec((lines[line + 1] ?? '').trimEnd())?.[1]?.[0];
    const version = versionIn(marks?.[2] ?? (under === undefined ? '' : text));
    if (version === null) continue;
    if (marks !== null) found.push({ line, version, style: { type: 'marks', level: marks[1]?.length ?? 2 } });
    else found.push({ line, version, style: { type: 'underlined', mark: under ?? '-' } });
  }
  return found;
}

function fenceOf(text: string): string | null {
  return /^ {0,3}(```+|~~~+)/.exec(text)?.[1] ?? null;
}

/** The version that a heading is about: the first thing in it that is one, in brackets, behind a `v` or a name. */
function versionIn(heading: string): string | null {
  for (const word of heading.split(/[\s[\](),:]+/)) {
    const version = /(?:^|[@/v])(\d+\.\d+\.\d+(?:[-+][0-9A-Za-z.+-]+)?)$/.exec(word)?.[1];
    if (version !== undefined && isVersion(version)) return version;
  }
  return null;
}

function withHeadingStyle(section: string, style: HeadingStyle): string {
  if (style.type === 'marks') return section;
  return section.replace(/^#+ (.*)\n/, (_, title: string) => `${title}\n${style.mark.repeat(title.length)}\n`);
}

/** Lines with their ends. */
function splitLines(text: string): string[] {
  return text.match(/[^\n]*\n|[^\n]+$/g) ?? [];
}

/** Line breaks missing for an empty line between the text before and the text after. */
function gap(before: string, newline: string): string {
  if (before === '' || before === '\ufeff' || /\n\r?\n$/.test(before)) return '';
  return before.endsWith('\n') ? newline : newline + newline;
}
