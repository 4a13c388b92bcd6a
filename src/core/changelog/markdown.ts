import { cleanText } from '../text/clean.ts';
import { type NoteItem, type ReleaseNotes, splitItem } from './section.ts';

/** Templates of addresses with `{commit}` or `{issue}` in them. */
export type Links = { readonly commit: string | null; readonly issue: string | null };

/** How Markdown notes are written. */
export type MarkdownStyle = {
  readonly links: Links;
  /** Whether the heading names the package: not in the package's own changelog. */
  readonly withPackage: boolean;
  /** Level of the release's heading; its sections are one deeper. */
  readonly level: number;
};

/** Release notes as Markdown (CommonMark 0.31), ended by one line break. */
export function renderMarkdown(notes: ReleaseNotes, { links, withPackage, level }: MarkdownStyle): string {
  const marks = '#'.repeat(level);
  const name = withPackage ? `${escapeMarkdown(notes.package)} ` : '';
  const blocks = [`${marks} ${name}${notes.version ?? notes.range}, ${notes.date}`];
  if (notes.intro !== null) blocks.push(notes.intro.trim());
  for (const { title, items } of notes.sections) {
    blocks.push(`${marks}# ${escapeMarkdown(title)}`, items.map((item) => renderItem(item, links)).join('\n'));
  }
  if (notes.contributors.length > 0)
    blocks.push(`With thanks to ${notes.contributors.map(escapeMarkdown).join(', ')}.`);
  for (const { file, sha256 } of notes.sboms ?? []) blocks.push(`SBOM: \`${file}\`, SHA-256 \`${sha256}\``);
  return `${blocks.map((block) => block.trimEnd()).join('\n\n')}\n`;
}

/**
 * Text from a commit made harmless inside a line of Markdown: no markup, no HTML, no control characters. Code spans that
 * are closed stay, since people write them on purpose and nothing inside them is markup (CommonMark 0.31 §6.1).
 */
export function escapeMarkdown(text: string): string {
  return cleanText(text)
    .split(/(`[^`]+`)/)
    .map((part, index) => (index % 2 === 1 ? part : escapePlain(part)))
    .join('');
}

function renderItem(item: NoteItem, links: Links): string {
  return `- ${markdownItem(item, links).replace(/\n(?=.)/g, '\n  ')}`;
}

/** An item without its bullet; a note of several lines stands below it, behind an empty line. */
export function markdownItem(item: NoteItem, links: Links, inParentheses = false): string {
  const { summary, commit, breaking } = item;
  const { text, details } = splitItem(item);
  const inside = details.map((detail) => linkIssues(escapeMarkdown(detail), links)).join(', ');
  const behind = inside === '' ? '' : ` (${inside})`;
  const short = commit.slice(0, 7);
  const source = links.commit === null ? short : `[${short}](${fill(links.commit, 'commit', commit)})`;
  const line = `${linkIssues(escapeMarkdown(text), links)}${behind}${commit === '' ? '' : inParentheses ? ` (${source})` : ` · ${source}`}`;
  return breaking === null || breaking === summary ? line : `${line}\n\n${renderNote(breaking, links)}\n`;
}

/** A breaking note in full, as paragraphs that belong to the item above them. */
function renderNote(note: string, links: Links): string {
  return note
    .split('\n')
    .map((line) => (line.trim() === '' ? '' : `${escapeLineStart(linkIssues(escapeMarkdown(line.trim()), links))}`))
    .join('\n');
}

function escapePlain(text: string): string {
  return text
    .replace(/[\\`*[\]]/g, '\\$&')
    .replace(/&/g, '&amp;')
    .replace(/</g, '&lt;')
    .replace(/>/g, '&gt;')
    .replace(/~~/g, '\\~\\~')
    .replace(/(^|[^\p{L}\p{N}])_|_(?=$|[^\p{L}\p{N}])/gu, (match) => match.replace('_', '\\_'));
}

/** What would begin a list, a heading, a quote or a rule at the beginning of a line. */
function escapeLineStart(text: string): string {
  return text.replace(/^(?:[-+#=|:]|\d+(?=[.)]))/, (start) => (/^\d/.test(start) ? `${start}\\` : `\\${start}`));
}

function linkIssues(text: string, { issue }: Links): string {
  if (issue === null) return text;
  return text.replace(
    /(^|[\s(,])#(\d{1,9})\b/g,
    (_, before: string, number: string) => `${before}[#${number}](${fill(issue, 'issue', number)})`,
  );
}

/** The address that a template gives; null without one. */
export function linkTo(template: string | null, name: string, value: string): string | null {
  return template === null || value === '' ? null : fill(template, name, value);
}

function fill(template: string, name: string, value: string): string {
  return template.replaceAll(`{${name}}`, encodeURIComponent(value)).replace(/[()\s]/g, encodeURIComponent);
}
