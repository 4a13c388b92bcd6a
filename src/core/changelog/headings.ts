import { compareNumbers, versionLike } from '../version/loose-version.ts';

/** How the headings of a changelog are marked. */
export type HeadingStyle =
  | { readonly type: 'marks'; readonly level: number; readonly isClosed: boolean }
  | { readonly type: 'underlined'; readonly mark: string; readonly isOver: boolean }
  /** A line of its own in bold type. */
  | { readonly type: 'bold' }
  /** A line of its own that only its words make a heading. */
  | { readonly type: 'plain' };

/** A heading of a changelog. */
export type Heading = {
  /** Its first line, and the first line behind it. */
  readonly start: number;
  readonly end: number;
  readonly text: string;
  readonly style: HeadingStyle;
};

/** A heading that is about a version, with where in its text that stands. */
export type VersionHeading = Heading & {
  readonly version: string;
  readonly numbers: readonly number[];
  readonly at: number;
};

/** The parts of a changelog. */
export type ChangelogOutline = {
  readonly versions: readonly VersionHeading[];
  /** The heading of what is not released yet. */
  readonly unreleased: Heading | null;
  readonly headings: readonly Heading[];
};

/** What a changelog is written in. */
export type ChangelogMarkup = 'markdown' | 'rst' | 'text';

/** A longer line is text, whatever stands above or below it. */
const maxHeading = 300;

/** Finds the headings of a changelog. @param lines with their ends. */
export function outline(lines: readonly string[], markup: ChangelogMarkup): ChangelogOutline {
  const texts = lines.map((line) => line.replace(/^\ufeff/, '').trimEnd());
  const marked = markedHeadings(texts, markup);
  const versionsOf = (headings: readonly Heading[]) => headings.flatMap(versionHeading);
  const found = versionsOf(marked);
  const headings = found.length > 0 || marked.some(isUnreleased) ? marked : plainHeadings(texts);
  const versions = versionsOf(headings);
  // Deeper headings that mention a version are about something else.
  const level = versions[0]?.style;
  const own = versions.filter(({ style }) => level === undefined || sameLevel(style, level));
  return {
    versions: own,
    unreleased: headings.find((heading) => isUnreleased(heading) && isAtEdge(heading, own)) ?? null,
    headings,
  };
}

/** What is not released yet stands above all versions, or below them in a file that grows down. */
function isAtEdge({ start }: Heading, versions: readonly VersionHeading[]): boolean {
  const others = versions.filter((version) => version.start !== start);
  return others.every((version) => version.start > start) || others.every((version) => version.start < start);
}

/** Whether two headings are of one level. */
export function sameLevel(a: HeadingStyle, b: HeadingStyle): boolean {
  if (a.type === 'marks' && b.type === 'marks') return a.level === b.level;
  if (a.type === 'underlined' && b.type === 'underlined') return a.mark === b.mark && a.isOver === b.isOver;
  return a.type === b.type;
}

/** Orders versions as headings have them; a prerelease comes before its version. */
export function compareHeadings(a: string, b: string): number {
  const [left, right] = [a, b].map((text) => versionLike(`v${text}`)?.numbers ?? []) as [number[], number[]];
  const order = compareNumbers(left, right);
  if (order !== 0) return order;
  const [pre, other] = [a, b].map((text) => prereleaseText(text)) as [string, string];
  if (pre === other) return 0;
  if (pre === '' || other === '') return pre === '' ? 1 : -1;
  return pre.localeCompare(other, 'en', { numeric: true });
}

function prereleaseText(version: string): string {
  return version
    .replace(/^\d+(?:[._]\d+)*/, '')
    .replace(/\+.*$/, '')
    .toLowerCase()
    .replace(/[^a-z0-9]/g, '');
}

const unreleasedWords =
  /^\W*(?:unreleased|not (?:yet )?released|upcoming(?: release| version)?|next(?: release| version)?|in development|development(?: version)?|dev|master|main|trunk|head|in progress|work in progress|current|future)(?: changes)?\W*$/i;

function isUnreleased({ text }: Heading): boolean {
  return (
    unreleasedWords.test(text.replace(/\]\([^)]*\)/, ']')) ||
    /^v?\d[\w.]*\s*[([]\s*(?:unreleased|in development|tbd|to be released)\s*[)\]]$/i.test(text)
  );
}

/** Headings by marks, and those that a line below (and above) makes one. */
function markedHeadings(texts: readonly string[], markup: ChangelogMarkup): Heading[] {
  const found: Heading[] = [];
  let hiddenUntil = -1;
  for (let line = 0; line < texts.length; line++) {
    if (line <= hiddenUntil) continue;
    const text = texts[line] ?? '';
    const fence = markup === 'markdown' ? fenceOf(text) : null;
    if (fence !== null) {
      // One that is never closed hides nothing: what stands behind it is meant to be read.
      hiddenUntil = texts.findIndex((other, at) => at > line && (fenceOf(other)?.startsWith(fence) ?? false));
      continue;
    }
    if (markup === 'markdown' && /^\s*<!--/.test(text) && !text.includes('-->')) {
      hiddenUntil = texts.findIndex((other, at) => at > line && other.includes('-->'));
      continue;
    }
    const heading = headingAt(texts, line, markup);
    if (heading === null) continue;
    found.push(heading);
    hiddenUntil = heading.end - 1;
  }
  return found;
}

function headingAt(texts: readonly string[], line: number, markup: ChangelogMarkup): Heading | null {
  const text = texts[line] ?? '';
  if (text.length > maxHeading) return null;
  const marks = /^ {0,3}(#{1,6})\s+(.+?)(\s+#+)?$/.exec(text);
  if (marks !== null && markup === 'markdown') {
    const style = { type: 'marks', level: marks[1]?.length ?? 2, isClosed: marks[3] !== undefined } as const;
    return { start: line, end: line + 1, text: marks[2] ?? '', style };
  }
  const bold = /^\*\*(v?\d+\.\d+[^*]*)\*\*$/.exec(text)?.[1];
  if (bold !== undefined && markup === 'markdown')
    return { start: line, end: line + 1, text: bold, style: { type: 'bold' } };
  const over = adornment(text, markup);
  const [title, below] = [texts[line + 1] ?? '', adornment(texts[line + 2] ?? '', markup)];
  if (markup === 'rst' && over !== null && title.trim() !== '' && below === over)
    return { start: line, end: line + 3, text: title.trim(), style: { type: 'underlined', mark: over, isOver: true } };
  const under = adornment(texts[line + 1] ?? '', markup);
  if (text.trim() === '' || over !== null || under === null || /^\s/.test(text)) return null;
  return { start: line, end: line + 2, text: text.trim(), style: { type: 'underlined', mark: under, isOver: false } };
}

/** The character of a line that marks the one above as a heading (CommonMark 0.31 §4.3; reStructuredText, "Sections"). */
function adornment(text: string, markup: ChangelogMarkup): string | null {
  const pattern = markup !== 'rst' ? /^(?:=+|-{2,})$/ : /^([=\-`:.'"~^_*+#<>])\1{2,}$/;
  return pattern.test(text) ? (text[0] ?? null) : null;
}

function fenceOf(text: string): string | null {
  return /^ {0,3}(```+|~~~+)/.exec(text)?.[1] ?? null;
}

/** Lines at the left edge that begin with a version or a word for one, in a file without other headings. */
function plainHeadings(texts: readonly string[]): Heading[] {
  return texts.flatMap((text, line): Heading[] => {
    const isHeading =
      text.length <= maxHeading &&
      /^(?:(?:version|release|ver\.?|changes (?:in|for|of)|\* (?:noteworthy )?changes in release)\s+.*|[\w.-]+[- ])?v?\d+(?:\.\d+)+\S*(?:\s.*)?:?$/i.test(
        text,
      ) &&
      !/[.!?]$/.test(text.replace(/\d\.$/, ''));
    const next = texts[line + 1] ?? '';
    return isHeading && (next === '' || /^(?:\s|[-*+=])/.test(next))
      ? [{ start: line, end: line + 1, text, style: { type: 'plain' } }]
      : [];
  });
}

/** The version that a heading is about: the first thing in it that is one, in brackets, behind a `v` or a name. */
function versionHeading(heading: Heading): VersionHeading[] {
  if (isUnreleased(heading) && !/^\W*v?\d/.test(heading.text)) return [];
  const date = /\d{4}[-/.]\d{1,2}[-/.]\d{1,2}|\d{1,2}[-/.]\d{1,2}[-/.]\d{4}/.exec(heading.text);
  const pattern =
    /(?<![\w.])(?:[\w.@/-]*?[@/-])?v?(?<version>\d+(?:\.\d+){1,3}(?:[-+._]?[A-Za-z][0-9A-Za-z.+-]*|-[0-9A-Za-z.+-]+)?)(?![\w])/dg;
  for (const match of heading.text.matchAll(pattern)) {
    const span = match.indices?.groups?.['version'];
    const version = (match.groups?.['version'] ?? '').replace(/[.:-]+$/, '');
    if (span === undefined || (date !== null && span[0] >= date.index && span[0] < date.index + date[0].length))
      continue;
    const numbers = versionLike(`v${version}`)?.numbers;
    if (numbers !== undefined) return [{ ...heading, version, numbers, at: span[0] }];
  }
  return [];
}
