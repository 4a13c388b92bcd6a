import MarkdownIt, { type Token } from 'markdown-it';

/** The longest text that is parsed; an index shows no more of a readme that is worth reading. */
export const maxMarkdownLength = 128 << 10;

/** A part of a Markdown text with what is inside. */
export type MarkdownNode = {
  /** The type of markdown-it's token, without `_open`. */
  readonly type: string;
  readonly token: Token;
  readonly children: readonly MarkdownNode[];
};

/** CommonMark with tables and strikethrough; the parser needs no backtracking, and its nesting is limited. */
const parser = new MarkdownIt('default', { html: true, linkify: false, typographer: false });

/** Parses the first 128 Ki characters of a text. */
export function parseMarkdown(text: string): MarkdownNode[] {
  return toTree(parser.parse(text.slice(0, maxMarkdownLength), {}));
}

/** Every node of a text, in its order. */
export function* allNodes(nodes: readonly MarkdownNode[]): Generator<MarkdownNode> {
  for (const node of nodes) {
    yield node;
    yield* allNodes(node.children);
  }
}

/** The parser gives a flat list in which pairs of tokens enclose what is inside. */
function toTree(tokens: readonly Token[]): MarkdownNode[] {
  const root: MarkdownNode[] = [];
  const open: MarkdownNode[][] = [root];
  for (const token of tokens) {
    const here = open.at(-1) ?? root;
    if (token.nesting === -1) {
      open.pop();
      continue;
    }
    const children = token.children === null ? [] : toTree(token.children);
    here.push({ type: token.type.replace(/_open$/, ''), token, children });
    if (token.nesting === 1) open.push(children);
  }
  return root;
}
