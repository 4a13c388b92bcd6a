import { Language, type Node, Parser } from 'web-tree-sitter';
import type { GrammarName, SurfaceTools } from '../reader.ts';

/** A node of a syntax tree; its types and fields are those of the grammar. */
export type SyntaxNode = Node;

/** Calls back with the root of a source's tree, which is gone afterwards; null for a source that is too long. */
export type Parse = <T>(text: string, use: (root: SyntaxNode) => T) => T | null;

/** A tree takes many times the memory of its source. */
const maxLength = 4 << 20;

let started: Promise<void> | null = null;
const languages = new Map<GrammarName, Promise<Language>>();

/** Loads the parser of a language once; the grammars come from this program's own folder. */
export async function loadParser(name: GrammarName, { grammar }: Pick<SurfaceTools, 'grammar'>): Promise<Parse> {
  started ??= Parser.init({ wasmBinary: grammar('web-tree-sitter') });
  await started;
  const language = languages.get(name) ?? Language.load(grammar(`tree-sitter-${name}`));
  languages.set(name, language);
  const parser = new Parser();
  parser.setLanguage(await language);
  return (text, use) => {
    if (text.length > maxLength) return null;
    const tree = parser.parse(text);
    if (tree === null) return null;
    try {
      return use(tree.rootNode);
    } finally {
      tree.delete();
    }
  };
}

/** Named children that are there, comments left out. */
export function parts(node: SyntaxNode): SyntaxNode[] {
  return node.namedChildren.filter((child) => !/comment$/.test(child.type));
}

/** The first child of one of these types. */
export function partOf(node: SyntaxNode, ...types: readonly string[]): SyntaxNode | null {
  return node.namedChildren.find((child) => types.includes(child.type)) ?? null;
}

/** A field of the grammar; null where the source lacks it. */
export function field(node: SyntaxNode, name: string): SyntaxNode | null {
  return node.childForFieldName(name);
}

/** A field's text on one line; null where the source lacks it. */
export function fieldText(node: SyntaxNode, name: string): string | null {
  const found = field(node, name);
  return found === null ? null : oneLine(found.text);
}

/** Text with every run of white space as one space. */
export function oneLine(text: string): string {
  return text.replace(/\s+/g, ' ').trim();
}

/** Line of a node from 1. */
export function lineOf(node: SyntaxNode): number {
  return node.startPosition.row + 1;
}
