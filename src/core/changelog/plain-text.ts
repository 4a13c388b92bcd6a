import { cleanLines, cleanText } from '../text/clean.ts';
import { itemText, type NoteItem, type ReleaseNotes } from './section.ts';

/** Release notes as plain text, for tags, terminals and fields that know no markup. */
export function renderPlainText(notes: ReleaseNotes): string {
  const blocks = [`${cleanText(notes.package)} ${notes.version ?? notes.range}, ${notes.date}`];
  if (notes.intro !== null) blocks.push(cleanLines(notes.intro.trim()));
  for (const { title, items } of notes.sections) blocks.push([cleanText(title), ...items.map(renderItem)].join('\n'));
  if (notes.contributors.length > 0) blocks.push(`With thanks to ${notes.contributors.map(cleanText).join(', ')}.`);
  return `${blocks.join('\n\n')}\n`;
}

/** One stanza of a Debian changelog (Debian Policy §4.4). */
export type DebianStanza = {
  readonly notes: ReleaseNotes;
  /** Version as Debian spells it, with its revision. */
  readonly version: string;
  /** `NAME <ADDRESS>`. */
  readonly maintainer: string;
  readonly at: Date;
};

/** The stanza of one release: header, one `*` per change, signature with two spaces before the date. */
export function renderDebianStanza({ notes, version, maintainer, at }: DebianStanza): string {
  const items = notes.sections.flatMap(({ items }) => items.map((item) => `  * ${lineOf(item)}`));
  const changes = items.length === 0 ? ['  * New release'] : items;
  const date = at.toUTCString().replace('GMT', '+0000');
  return `${cleanText(notes.package)} (${version}) unstable; urgency=medium\n\n${changes.join('\n')}\n\n -- ${cleanText(maintainer)}  ${date}\n`;
}

function renderItem(item: NoteItem): string {
  const line = `  - ${lineOf(item)}${item.commit === '' ? '' : `  ${item.commit.slice(0, 7)}`}`;
  if (item.breaking === null || item.breaking === item.summary) return line;
  return `${line}\n${cleanLines(item.breaking)
    .split('\n')
    .map((text) => (text === '' ? '' : `      ${text}`))
    .join('\n')}`;
}

function lineOf(item: NoteItem): string {
  return cleanText(itemText(item));
}
