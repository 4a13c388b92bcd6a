import { marked, type Token, type Tokens } from 'marked';

/** Markdown as a page shows it, in plain text: GitHub's flavour, HTML tags taken out, what is hidden not shown. */
export function renderMarkdownPage(text: string): string {
  return blocks(marked.lexer(text, { gfm: true }), '')
    .replace(/\n{3,}/g, '\n\n')
    .trimEnd();
}

function blocks(tokens: readonly Token[], indent: string): string {
  return tokens
    .map((token) => block(token, indent))
    .filter((one) => one !== '')
    .join('\n\n');
}

function block(token: Token, indent: string): string {
  switch (token.type) {
    case 'heading': {
      const title = inline((token as Tokens.Heading).tokens);
      const depth = (token as Tokens.Heading).depth;
      return `${indent}${depth === 1 ? title.toUpperCase() : title}\n${indent}${(depth === 1 ? '=' : '-').repeat(Math.min(78, title.length || 1))}`;
    }
    case 'paragraph':
    case 'text': {
      const inner = (token as Tokens.Paragraph).tokens;
      return lines(inner === undefined ? token.raw : inline(inner), indent);
    }
    case 'code':
      return lines((token as Tokens.Code).text, `${indent}    `);
    case 'blockquote':
      return lines(blocks((token as Tokens.Blockquote).tokens, ''), `${indent}| `);
    case 'list':
      return (token as Tokens.List).items
        .map((item, index) => listItem(item, token as Tokens.List, index, indent))
        .join('\n');
    case 'table':
      return table(token as Tokens.Table, indent);
    case 'hr':
      return `${indent}${'-'.repeat(20)}`;
    case 'html':
      return lines(withoutTags(token.raw).trim(), indent);
    default:
      return '';
  }
}

function listItem(item: Tokens.ListItem, list: Tokens.List, index: number, indent: string): string {
  const mark = list.ordered ? `${Number(list.start || 1) + index}.` : '-';
  const box = item.task ? (item.checked === true ? '[x] ' : '[ ] ') : '';
  const text = blocks(item.tokens, '').split('\n');
  return text
    .map((line, at) => `${indent}${at === 0 ? `${mark} ${box}` : ' '.repeat(mark.length + 1)}${line}`)
    .join('\n');
}

function table({ header, rows }: Tokens.Table, indent: string): string {
  const cells = [header, ...rows].map((row) => row.map(({ tokens }) => inline(tokens)));
  const widths = (cells[0] ?? []).map((_, column) => Math.max(...cells.map((row) => row[column]?.length ?? 0)));
  return cells
    .map(
      (row) =>
        `${indent}${row
          .map((cell, column) => cell.padEnd(widths[column] ?? 0))
          .join('  ')
          .trimEnd()}`,
    )
    .join('\n');
}

function inline(tokens: readonly Token[]): string {
  return tokens.map(inlineOne).join('');
}

function inlineOne(token: Token): string {
  switch (token.type) {
    case 'link': {
      const shown = inline((token as Tokens.Link).tokens);
      const { href } = token as Tokens.Link;
      return shown === href || href.startsWith('#') ? shown : `${shown} (${href})`;
    }
    case 'image':
      return `[picture: ${(token as Tokens.Image).text || (token as Tokens.Image).href}]`;
    case 'codespan':
      return decode((token as Tokens.Codespan).text);
    case 'br':
      return '\n';
    case 'html':
      return withoutTags(token.raw);
    case 'escape':
      return (token as Tokens.Escape).text;
    default: {
      const inner = (token as Tokens.Generic)['tokens'];
      return Array.isArray(inner) ? inline(inner) : decode(String((token as Tokens.Text).text ?? token.raw));
    }
  }
}

function withoutTags(html: string): string {
  const picture = /<img\b[^>]*?\balt=(?:"([^"]*)"|'([^']*)')[^>]*>/gi;
  return decode(
    html
      .replace(/<!--[\s\S]*?-->/g, '')
      .replace(/<(script|style)\b[\s\S]*?<\/\1>/gi, '')
      .replace(picture, (_, a?: string, b?: string) => `[picture: ${a ?? b ?? ''}]`)
      .replace(/<[^>]+>/g, ''),
  );
}

const entities: Readonly<Record<string, string>> = { amp: '&', lt: '<', gt: '>', quot: '"', '#39': "'", nbsp: ' ' };

function decode(text: string): string {
  return text.replace(/&(amp|lt|gt|quot|#39|nbsp);/g, (whole, name: string) => entities[name] ?? whole);
}

function lines(text: string, indent: string): string {
  return text
    .split('\n')
    .map((line) => `${indent}${line}`.trimEnd())
    .join('\n');
}
