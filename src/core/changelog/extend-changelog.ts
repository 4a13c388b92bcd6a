import { BevelstoneError } from '../error/bevelstone-error.ts';
import { type BodyStyle, bodyStyle } from './body-style.ts';
import { type DebianAbout, extendDebian, isDebianChangelog } from './debian-changelog.ts';
import { type ChangelogMarkup, type ChangelogOutline, compareHeadings, type Heading, outline } from './headings.ts';
import { isLinkLine, linkBlock, withLinkLines } from './link-lines.ts';
import type { Links } from './markdown.ts';
import { dateBelow, newHeading } from './new-heading.ts';
import { renderBody } from './render-body.ts';
import type { ReleaseNotes } from './section.ts';

/** What became of a changelog: its own words for what was not released yet became the section, or the notes did. */
export type Extended = { readonly text: string; readonly change: 'inserted' | 'moved' | 'already-there' };

/** A release, and the changelog that it goes into. */
export type ChangelogInput = {
  readonly text: string;
  /** Path of the changelog: its ending tells the markup. */
  readonly file: string;
  readonly notes: ReleaseNotes & { readonly version: string };
  readonly links: Links;
  readonly debian: DebianAbout;
};

/**
 * Puts a release into a changelog in the manner of the file: markup, headings, dates, order, groups, bullets, link lines. The
 * text of a section for what is not released yet becomes the section. Everything else stays byte for byte, with its line ends
 * and byte order mark; a version that has a section is left as it is, so doing it twice changes nothing.
 */
export function extendChangelog(input: ChangelogInput): Extended {
  const newline = /\r\n/.test(input.text) ? '\r\n' : '\n';
  const text = input.text.replaceAll('\r\n', '\n');
  const extended = isDebianChangelog(input.file, text)
    ? extendDebian(text, input.notes, input.debian)
    : extendMarked({ ...input, text });
  if (extended.change === 'already-there') return { text: input.text, change: 'already-there' };
  return { ...extended, text: newline === '\n' ? extended.text : extended.text.replaceAll('\n', newline) };
}

/**
 * The text of a changelog.
 * @throws CHANGELOG_UNREADABLE when it is not UTF-8 text: nothing can be added to it without damage.
 */
export function decodeChangelog(bytes: Uint8Array, file: string): string {
  try {
    // The byte order mark is the file's own, and stays.
    const text = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(bytes);
    if (!text.includes('\0')) return text;
  } catch (error) {
    if (!(error instanceof TypeError)) throw error;
  }
  throw new BevelstoneError('CHANGELOG_UNREADABLE', {
    message: `${file} is not a text in UTF-8`,
    why: 'a section cannot be added to it without damage',
    fix: 'Save it as UTF-8, or name another file: write-back: { changelog: CHANGELOG.md }',
    where: { file },
  });
}

function extendMarked({ text, file, notes, links }: ChangelogInput): Extended {
  const markup = markupOf(file, text);
  const lines = text.split('\n');
  const found = ofPackage(outline(lines, markup), notes.package);
  const style = bodyStyle(lines, found, markup);
  const known = found.versions.find(({ version }) => compareHeadings(version, notes.version) === 0);
  if (known !== undefined && known !== found.unreleased && known.start !== found.unreleased?.start)
    return { text, change: 'already-there' };
  const open = openSection(lines, found);
  const released = found.versions.filter(({ start }) => start !== found.unreleased?.start);
  const heading = newHeading({ ...found, versions: released }, notes, markup);
  const place = placeFor({ ...found, versions: released }, notes.version, lines.length);
  const moved = open === null ? [] : withoutEmptyGroups(open.body, found, open.start);
  const dateLine = dateBelow(lines, released[0], notes.date);
  const isMoved = moved.some((line) => line.trim() !== '' && !nothingYet.test(line));
  const body = isMoved ? trimLines(moved) : renderBody(notes, style, links);
  const section = [
    ...heading,
    ...dateLine,
    ...(style.blankAfterHeading && dateLine.length === 0 ? [''] : []),
    ...(dateLine.length > 0 ? [''] : []),
    ...body,
  ];
  const next = withLinkLines(assemble({ lines, section, style, open, isMoved, place }), {
    versions: released,
    version: notes.version,
  });
  return { text: next.join('\n'), change: isMoved ? 'moved' : 'inserted' };
}

/** In a changelog of several packages only the headings that name this one are about its versions. */
function ofPackage(found: ChangelogOutline, name: string): ChangelogOutline {
  const own = found.versions.filter(({ text, at }) =>
    text
      .slice(0, at)
      .split(/[\s@(]+/)
      .includes(name),
  );
  return own.length === 0 ? found : { ...found, versions: own };
}

function markupOf(file: string, text: string): ChangelogMarkup {
  if (/\.(?:md|markdown|mdown)$/i.test(file)) return 'markdown';
  if (/\.rst$/i.test(file)) return 'rst';
  if (/^#{1,6} \S/m.test(text)) return 'markdown';
  return /^\.\. \S|^([~^"'`+*])\1{2,}$/m.test(text) ? 'rst' : 'text';
}

/** What people write where nothing is to be said. */
const nothingYet = /^\W*(?:none|nothing|no (?:notable )?changes|tbd|to ?do|n\/a)(?: yet| so far)?\W*$/i;

/** The section of what is not released yet. */
type OpenSection = {
  readonly start: number;
  /** First line of its body, and the first behind it. */
  readonly from: number;
  readonly to: number;
  readonly body: readonly string[];
  /** Whether its heading stays for what comes next, or is the one of this release. */
  readonly stays: boolean;
};

function openSection(
  lines: readonly string[],
  { unreleased, headings, versions }: ChangelogOutline,
): OpenSection | null {
  if (unreleased === null) return null;
  const stays = !versions.some(({ start }) => start === unreleased.start) && !/^\W*v?\d/.test(unreleased.text);
  const next = headings.find(({ start, style }) => start > unreleased.start && !isDeeper(style, unreleased.style));
  const linkLines = lines.findLastIndex((line) => line.trim() !== '' && !isLinkLine(line)) + 1;
  const to = next?.start ?? Math.max(unreleased.end, linkLines);
  return { start: unreleased.start, from: unreleased.end, to, body: lines.slice(unreleased.end, to), stays };
}

function isDeeper(style: Heading['style'], of: Heading['style']): boolean {
  if (style.type === 'marks' && of.type === 'marks') return style.level > of.level;
  if (style.type === 'underlined' && of.type === 'underlined')
    return style.mark !== of.mark || style.isOver !== of.isOver;
  return style.type !== of.type;
}

/** A body without titles of groups that hold nothing. */
function withoutEmptyGroups(body: readonly string[], { headings }: ChangelogOutline, start: number): string[] {
  const offset = headings.find((heading) => heading.start === start)?.end ?? start + 1;
  const inside = headings.filter((heading) => heading.start >= offset && heading.start < offset + body.length);
  const dropped = new Set<number>();
  for (const [index, heading] of inside.entries()) {
    const end = inside[index + 1]?.start ?? offset + body.length;
    const own = body.slice(heading.end - offset, end - offset);
    if (own.every((line) => line.trim() === ''))
      for (let line = heading.start; line < end; line++) dropped.add(line - offset);
  }
  return body.filter((_, index) => !dropped.has(index));
}

/** Where the section goes: a line, with what kind of neighbour comes behind it. */
type Place = { readonly line: number; readonly growsDown: boolean };

function placeFor({ headings, versions }: ChangelogOutline, version: string, end: number): Place {
  const [first, second] = versions;
  const growsDown = first !== undefined && second !== undefined && compareHeadings(first.version, second.version) < 0;
  const next = versions.find((heading) => compareHeadings(heading.version, version) * (growsDown ? -1 : 1) < 0);
  if (next !== undefined) return { line: next.start, growsDown };
  const last = versions.at(-1);
  if (last === undefined) return { line: end, growsDown };
  const behind = headings.find(({ start, style }) => start > last.start && !isDeeper(style, last.style));
  return { line: behind?.start ?? end, growsDown };
}

function assemble({
  lines,
  section,
  style,
  open,
  isMoved,
  place,
}: {
  readonly lines: readonly string[];
  readonly section: readonly string[];
  readonly style: BodyStyle;
  readonly open: OpenSection | null;
  /** Whether the section holds what the open one held. */
  readonly isMoved: boolean;
  readonly place: Place;
}): string[] {
  const gap = Array<string>(Math.max(style.blankBetween, 1)).fill('');
  if (open === null) {
    const footer = place.line === lines.length ? linkBlock(lines) : lines.length;
    const at = Math.min(place.line, footer);
    return join({ before: lines.slice(0, at), section, behind: trimStart(lines.slice(at)), gap });
  }
  const behind = trimStart(lines.slice(open.to));
  if (!open.stays) return join({ before: lines.slice(0, open.start), section, behind, gap });
  if (place.growsDown) {
    const title = lines.slice(open.start, open.from);
    const before = [...trimEnd(lines.slice(0, open.start)), ''];
    return join({ before, section, behind: [...title, '', ...behind], gap });
  }
  const isKept = !isMoved && open.body.some((line) => line.trim() !== '' && !nothingYet.test(line));
  const before = [...trimEnd(lines.slice(0, isKept ? open.to : open.from)), ''];
  return join({ before, section, behind, gap });
}

type Joined = {
  readonly before: readonly string[];
  readonly section: readonly string[];
  readonly behind: readonly string[];
  /** Empty lines behind the section. */
  readonly gap: readonly string[];
};

/** Puts a section between two parts, with empty lines around it where something is there. */
function join({ before, section, behind, gap }: Joined): string[] {
  const head = trimEnd(before);
  const isFirst = head.length === 0 || (head.length === 1 && /^\ufeff?$/.test(head[0] ?? ''));
  const blanks = before.length - head.length;
  const between = isFirst ? [] : Array<string>(Math.max(blanks, 1)).fill('');
  const start =
    isFirst && head[0] === '\ufeff'
      ? [`\ufeff${section[0] ?? ''}`, ...section.slice(1)]
      : [...(isFirst ? [] : head), ...between, ...section];
  return behind.some((line) => line.trim() !== '') ? [...start, ...gap, ...behind] : [...start, ''];
}

function trimEnd(lines: readonly string[]): string[] {
  return lines.slice(0, lines.findLastIndex((line) => line.trim() !== '') + 1);
}

function trimStart(lines: readonly string[]): string[] {
  const first = lines.findIndex((line) => line.trim() !== '');
  return first === -1 ? [] : lines.slice(first);
}

function trimLines(lines: readonly string[]): string[] {
  return trimStart(trimEnd(lines));
}
