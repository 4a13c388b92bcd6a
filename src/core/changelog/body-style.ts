import { type ChangelogMarkup, type ChangelogOutline, type Heading, type HeadingStyle, sameLevel } from './headings.ts';

/** How the sections of a changelog are laid out. */
export type BodyStyle = {
  readonly markup: ChangelogMarkup;
  /** What begins an item, indentation included. */
  readonly bullet: string;
  /** How the groups of a section are titled; null where items stand without titles. */
  readonly title: GroupTitle | null;
  /** Titles that the file has, to be used for groups of the same meaning. */
  readonly titles: readonly string[];
  /** How items name their commits. */
  readonly commits: 'none' | 'behind-dot' | 'in-parentheses';
  readonly blankAfterHeading: boolean;
  readonly blankAfterTitle: boolean;
  /** Empty lines between two sections. */
  readonly blankBetween: number;
};

/** How a group of items is titled. */
export type GroupTitle =
  | HeadingStyle
  | { readonly type: 'bold-title'; readonly colon: string }
  | { readonly type: 'label' };

/** The style of a changelog that has no section yet. @param level of the headings of its versions. */
export function plainBody(markup: ChangelogMarkup, level: number): BodyStyle {
  return {
    markup,
    bullet: '- ',
    title:
      markup === 'rst'
        ? { type: 'underlined', mark: '~', isOver: false }
        : { type: 'marks', level: level + 1, isClosed: false },
    titles: [],
    commits: 'behind-dot',
    blankAfterHeading: true,
    blankAfterTitle: true,
    blankBetween: 1,
  };
}

/** The style of the sections that a changelog has. @param lines without their ends. */
export function bodyStyle(
  lines: readonly string[],
  { versions, headings, unreleased }: ChangelogOutline,
  markup: ChangelogMarkup,
): BodyStyle {
  const [latest] = versions;
  const usual = plainBody(markup, latest?.style.type === 'marks' ? latest.style.level : 2);
  if (latest === undefined) return { ...usual, title: unreleasedTitle({ headings, unreleased }) ?? usual.title };
  const sections = versions.map((version, index) =>
    lines.slice(version.end, versions[index + 1]?.start ?? lines.length),
  );
  const items = sections.flat().flatMap((line) => /^(\s*(?:[-*+\u2022]|\d+\.)\s+)\S/.exec(line)?.[1] ?? []);
  const deeper = headings.filter(
    ({ start, style }) => start > latest.start && !sameLevel(style, latest.style) && isBelow(style, latest.style),
  );
  const [title, titles] = groupTitles(sections.flat(), deeper);
  const [second] = versions.slice(1);
  const before = second === undefined ? [] : lines.slice(latest.end, second.start);
  const blanks = before.length - before.findLastIndex((line) => line.trim() !== '') - 1;
  const afterTitle = lines[deeper[0]?.end ?? afterTextTitle(lines, latest.end)];
  return {
    markup,
    bullet: /\d/.test(items[0] ?? '') ? '- ' : (items[0] ?? (latest.style.type === 'plain' ? '  - ' : '- ')),
    title: sections.some((section) => section.some((line) => line.trim() !== '')) ? title : usual.title,
    titles,
    commits: commitStyle(sections.flat()),
    blankAfterHeading: (lines[latest.end] ?? '').trim() === '',
    blankAfterTitle: afterTitle === undefined || title === null ? usual.blankAfterTitle : afterTitle.trim() === '',
    blankBetween: second === undefined ? 1 : Math.max(blanks, latest.style.type === 'plain' ? 1 : 0),
  };
}

function commitStyle(lines: readonly string[]): BodyStyle['commits'] {
  const ids = lines.filter((line) => /(?<![\w/])(?=[0-9a-f]*\d)[0-9a-f]{7,40}(?!\w)/.test(line));
  if (ids.length === 0) return 'none';
  return ids.some((line) => /\(\[?[0-9a-f]{7,40}/.test(line)) ? 'in-parentheses' : 'behind-dot';
}

/** The line behind the first title that is bold or a label. */
function afterTextTitle(lines: readonly string[], from: number): number {
  const at = lines.findIndex((line, index) => index >= from && (boldTitle.test(line.trim()) || labelTitle.test(line)));
  return at === -1 ? lines.length : at + 1;
}

const boldTitle = /^\*\*([^*]+?)(:?)\*\*(:?)$/;
const labelTitle = /^([A-Z][A-Za-z ]{2,30}):$/;

function isBelow(style: HeadingStyle, of: HeadingStyle): boolean {
  return style.type !== 'marks' || of.type !== 'marks' || style.level > of.level;
}

function unreleasedTitle({
  headings,
  unreleased,
}: Pick<ChangelogOutline, 'headings' | 'unreleased'>): GroupTitle | null {
  if (unreleased === null) return null;
  const found = headings.find(
    ({ start, style }) =>
      start > unreleased.start && isBelow(style, unreleased.style) && !sameLevel(style, unreleased.style),
  );
  return found?.style ?? null;
}

function groupTitles(lines: readonly string[], deeper: readonly Heading[]): [GroupTitle | null, string[]] {
  const [first] = deeper;
  if (first !== undefined) return [first.style, deeper.map(({ text }) => text)];
  const bold = lines.flatMap((line) => boldTitle.exec(line.trim()) ?? []);
  if (bold.length > 0) {
    const texts = lines.flatMap((line) => boldTitle.exec(line.trim())?.[1] ?? []);
    return [{ type: 'bold-title', colon: bold[2] === ':' ? 'inside' : bold[3] === ':' ? 'behind' : '' }, texts];
  }
  const labels = lines.flatMap((line) => labelTitle.exec(line)?.[1] ?? []);
  return labels.length > 0 ? [{ type: 'label' }, labels] : [null, []];
}

const synonyms: Readonly<Record<string, RegExp>> = {
  Breaking: /^(?:breaking(?: changes?)?|backwards?[ -]incompatib\w*(?: changes?)?|incompatible changes)$/i,
  Added: /^(?:added|adds|additions?|new|new features?|features?|enhancements?|improvements?)$/i,
  Fixed: /^(?:fixed|fixes|bug ?fix(?:es)?|bugs?(?: fixed)?|corrections?)$/i,
  Faster: /^(?:faster|performance(?: improvements?)?)$/i,
  Security: /^security(?: fixes)?$/i,
  'Taken back': /^(?:taken back|reverts?|reverted|removed)$/i,
};

/** The title that a file has for a group, else the group's own. */
export function titleFor(group: string, titles: readonly string[]): string {
  const meant = synonyms[group];
  return (meant === undefined ? undefined : titles.find((title) => meant.test(title.trim()))) ?? group;
}
