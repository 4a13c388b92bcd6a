import { cleanText } from '../text/clean.ts';
import type { BodyStyle, GroupTitle } from './body-style.ts';
import { titleFor } from './body-style.ts';
import type { HeadingStyle } from './headings.ts';
import { type Links, linkTo, markdownItem } from './markdown.ts';
import { itemText, type NoteItem, type ReleaseNotes } from './section.ts';

/** The changes of a release in the manner of an existing changelog, line by line. */
export function renderBody(notes: ReleaseNotes, style: BodyStyle, links: Links): string[] {
  const blocks: string[][] = [];
  if (notes.intro !== null) blocks.push(notes.intro.trim().split('\n'));
  const items = (list: readonly NoteItem[]) => list.flatMap((item) => renderItem(item, style, links));
  if (style.title === null) blocks.push(items(notes.sections.flatMap((section) => section.items)));
  else
    for (const section of notes.sections) {
      const title = titleLines(titleFor(section.title, style.titles), style.title);
      blocks.push([...title, ...(style.blankAfterTitle ? [''] : []), ...items(section.items)]);
    }
  return blocks.flatMap((block, index) => (index === 0 ? block : ['', ...block]));
}

function titleLines(title: string, style: GroupTitle): string[] {
  if (style.type === 'bold-title')
    return [style.colon === 'inside' ? `**${title}:**` : `**${title}**${style.colon === 'behind' ? ':' : ''}`];
  if (style.type === 'label') return [`${title}:`];
  return headingLines(title, style);
}

/** A heading, in one line or with the lines that mark it. */
export function headingLines(text: string, style: HeadingStyle): string[] {
  if (style.type === 'plain') return [text];
  if (style.type === 'bold') return [`**${text}**`];
  if (style.type === 'marks') {
    const marks = '#'.repeat(style.level);
    return [`${marks} ${text}${style.isClosed ? ` ${marks}` : ''}`];
  }
  const line = style.mark.repeat(Math.max([...text].length, 3));
  return style.isOver ? [line, text, line] : [text, line];
}

function renderItem(item: NoteItem, { markup, bullet, commits }: BodyStyle, links: Links): string[] {
  const shown = commits === 'none' ? { ...item, commit: '' } : item;
  const text =
    markup === 'markdown' ? markdownItem(shown, links, commits === 'in-parentheses') : plainItem(shown, links, markup);
  const indent = ' '.repeat(bullet.length);
  return text.split('\n').map((line, index) => (index === 0 ? bullet + line : line === '' ? '' : indent + line));
}

/** An item as text or in reStructuredText, its markup characters escaped there ("Escaping Mechanism"). */
function plainItem(item: NoteItem, links: Links, markup: 'rst' | 'text'): string {
  const commit = item.commit.slice(0, 7);
  const address = markup === 'rst' ? linkTo(links.commit, 'commit', item.commit) : null;
  const source = address === null ? commit : `\`${commit} <${address}>\`__`;
  const written = markup === 'rst' ? escapeRst : cleanText;
  const line = `${written(itemText(item))}${item.commit === '' ? '' : ` (${source})`}`;
  if (item.breaking === null || item.breaking === item.summary) return line;
  const note = item.breaking.split('\n').map((text) => written(text.trim()));
  return `${line}\n\n${note.join('\n')}`;
}

/** Code spans become literals; everything else that could be markup is escaped. */
function escapeRst(text: string): string {
  return cleanText(text)
    .split(/(`[^`]+`)/)
    .map((part, index) =>
      index % 2 === 1 ? `\`${part}\`` : part.replace(/[\\*`|]/g, '\\$&').replace(/_(?=\W|$)/g, '\\_'),
    )
    .join('');
}
