import { textOfHtml } from './html-text.ts';
import { type MarkdownNode, maxMarkdownLength, parseMarkdown } from './markdown.ts';

/** Markdown as a page shows it, in plain text: without HTML tags and hidden elements. */
export function renderMarkdownPage(text: string): string {
  const shown = blocks(parseMarkdown(text), '')
    .replace(/\n{3,}/g, '\n\n')
    .trimEnd();
  return text.length > maxMarkdownLength ? `${shown}\n\n(the rest of ${text.length} characters is not shown)` : shown;
}

function blocks(nodes: readonly MarkdownNode[], indent: string): string {
  return nodes
    .map((node) => block(node, indent))
    .filter((text) => text !== '')
    .join('\n\n');
}

function block(node: MarkdownNode, indent: string): string {
  const { token, children } = node;
  switch (node.type) {
    case 'heading': {
      const title = inlineOf(children);
      const isFirst = token.tag === 'h1';
      return `${indent}${isFirst ? title.toUpperCase() : title}\n${indent}${(isFirst ? '=' : '-').repeat(Math.min(78, title.length || 1))}`;
    }
    case 'paragraph':
      return lines(inlineOf(children), indent);
    case 'inline':
      return lines(inline(children), indent);
    case 'fence':
    case 'code_block':
      return lines(token.content.replace(/\n$/, ''), `${indent}    `);
    case 'blockquote':
      return lines(blocks(children, ''), `${indent}| `);
    case 'bullet_list':
    case 'ordered_list':
      return children.map((item, index) => listItem({ item, list: node, index, indent })).join('\n');
    case 'table':
      return table(children, indent);
    case 'hr':
      return `${indent}${'-'.repeat(20)}`;
    case 'html_block':
      return lines(textOfHtml(token.content).trim(), indent);
    default:
      return '';
  }
}

function listItem({
  item: { children },
  list: { token },
  index,
  indent,
}: {
  readonly item: MarkdownNode;
  readonly list: MarkdownNode;
  readonly index: number;
  readonly indent: string;
}): string {
  const mark = token.type === 'ordered_list_open' ? `${Number(token.attrGet('start') ?? 1) + index}.` : '-';
  const isTight = children.every(({ token: inner }) => inner.type !== 'paragraph_open' || inner.hidden);
  const text = isTight ? children.map((child) => block(child, '')).join('\n') : blocks(children, '');
  return text
    .split('\n')
    .map((line, at) => `${indent}${at === 0 ? `${mark} ` : ' '.repeat(mark.length + 1)}${line}`)
    .join('\n');
}

function table(parts: readonly MarkdownNode[], indent: string): string {
  const cells = parts.flatMap(({ children: rows }) =>
    rows.map(({ children: columns }) => columns.map(({ children }) => inlineOf(children))),
  );
  const widths = (cells[0] ?? []).map((_, column) => longest(cells.map((row) => row[column] ?? '')));
  return cells
    .map((row) => {
      const padded = row.map((cell, column) => cell.padEnd(widths[column] ?? 0));
      return `${indent}${padded.join('  ').trimEnd()}`;
    })
    .join('\n');
}

function longest(texts: readonly string[]): number {
  return texts.reduce((most, text) => Math.max(most, text.length), 0);
}

/** The text of a block that holds one line of inline parts. */
function inlineOf(children: readonly MarkdownNode[]): string {
  return children.map(({ children: parts }) => inline(parts)).join('');
}

function inline(nodes: readonly MarkdownNode[]): string {
  // Tags inside a line stand in several nodes, so what they hide shows only in the whole.
  const hasHtml = nodes.some(({ type }) => type === 'html_inline');
  const text = nodes.map((node) => inlinePart(node, hasHtml)).join('');
  return hasHtml ? textOfHtml(text) : text;
}

function inlinePart({ type, token, children }: MarkdownNode, isHtml: boolean): string {
  const safe = (text: string) => (isHtml ? escapeText(text) : text);
  switch (type) {
    case 'link': {
      const shown = inline(children);
      const href = String(token.attrGet('href') ?? '');
      return safe(shown === href || href.startsWith('#') ? shown : `${shown} (${href})`);
    }
    case 'image':
      return safe(`[picture: ${token.content || token.attrGet('src') || ''}]`);
    case 'softbreak':
    case 'hardbreak':
      return '\n';
    case 'html_inline':
      return token.content;
    default:
      return children.length > 0 ? safe(inline(children)) : safe(token.content);
  }
}

function escapeText(text: string): string {
  return text.replaceAll('&', '&amp;').replaceAll('<', '&lt;');
}

function lines(text: string, indent: string): string {
  return text
    .split('\n')
    .map((line) => `${indent}${line}`.trimEnd())
    .join('\n');
}
