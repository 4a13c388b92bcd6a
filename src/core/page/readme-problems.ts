import type { ShownReadme } from '../form/definition.ts';
import { picturesOfHtml } from './html-text.ts';
import { allNodes, maxMarkdownLength, parseMarkdown } from './markdown.ts';

const maxProblems = 5;

/** Parts that an index page would render differently; one sentence each, five at most. */
export function readmeProblems({ text, format }: ShownReadme): string[] {
  const checked = text.slice(0, maxMarkdownLength);
  const found = format === 'markdown' ? markdownProblems(checked) : format === 'rst' ? rstProblems(checked) : [];
  if (checked.length < text.length)
    found.push(`not checked beyond its first ${maxMarkdownLength} characters: it has ${text.length}`);
  const placeholders =
    /^#*\s*(?:lorem ipsum|project title|your project name|package name here|description goes here)\b/im.exec(checked);
  if (placeholders !== null) found.unshift(`"${placeholders[0].trim()}" was to be replaced`);
  return found.length > maxProblems
    ? [...found.slice(0, maxProblems), `and ${found.length - maxProblems} more like these`]
    : found;
}

function markdownProblems(text: string): string[] {
  const problems: string[] = [];
  const fences = [...text.matchAll(/^ {0,3}(`{3,}|~{3,})([^\n`]*)$/gm)];
  let open: string | null = null;
  for (const [, mark = '', info = ''] of fences) {
    if (open === null) open = mark;
    else if (mark.startsWith(open) && info.trim() === '') open = null;
  }
  if (open !== null) problems.push('a code block is never closed, so all that follows reads as code');
  for (const { type, token } of allNodes(parseMarkdown(text))) {
    const isHtml = type === 'html_block' || type === 'html_inline';
    const pictures =
      type === 'image' ? [String(token.attrGet('src') ?? '')] : isHtml ? picturesOfHtml(token.content) : [];
    for (const picture of pictures.filter(isRelative))
      problems.push(`the picture ${picture} has no full address, so the page cannot show it`);
  }
  if (/^(?:=+|-+)\n[^\n]+\n(?:=+|-+)$|^\.\. \w+::/m.test(text))
    problems.push('it looks like reStructuredText, and would be read as Markdown');
  return [...new Set(problems)];
}

/** docutils' own rules for what may be in a page: titles, and directives that read no files. */
function rstProblems(text: string): string[] {
  const problems: string[] = [];
  const lines = text.split('\n');
  for (const [index, line] of lines.entries()) {
    const title = lines[index - 1] ?? '';
    const isUnderline = /^([=\-~^"'`#*+.:_])\1{2,}$/.test(line);
    if (
      isUnderline &&
      title.trim() !== '' &&
      !/^\s/.test(title) &&
      title.length > line.length &&
      (lines[index - 2] ?? '').trim() === ''
    )
      problems.push(`the line under the title "${title}" is shorter than the title, which the page refuses`);
    const directive = /^\s*\.\. (include|raw|literalinclude|toctree|automodule|autoclass|doctest)::/.exec(line)?.[1];
    if (directive !== undefined) problems.push(`the directive ${directive} is not known to index pages`);
    const picture = /^\s*\.\. (?:image|figure):: (\S+)/.exec(line)?.[1];
    if (picture !== undefined && isRelative(picture))
      problems.push(`the picture ${picture} has no full address, so the page cannot show it`);
  }
  if (/^#{1,6} \S/m.test(text) && /^```/m.test(text))
    problems.push('it looks like Markdown, and would be read as reStructuredText');
  return [...new Set(problems)];
}

function isRelative(address: string): boolean {
  return !/^(?:[a-z][a-z0-9+.-]*:|\/\/|#)/i.test(address);
}
