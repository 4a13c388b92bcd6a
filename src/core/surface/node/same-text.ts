import ts from 'typescript';

const texts = new WeakMap<ts.Node, string>();
const scanner = ts.createScanner(ts.ScriptTarget.ESNext, true);

/** The tokens of a declaration, without comments and spaces. */
export function plainText(node: ts.Node): string {
  const known = texts.get(node);
  if (known !== undefined) return known;
  const file = node.getSourceFile();
  const text = tokensOf(file.text.slice(node.getStart(file), node.end));
  texts.set(node, text);
  return text;
}

/** A text without comments and spaces, its tokens apart. */
export function tokensOf(text: string): string {
  scanner.setText(text);
  const tokens: string[] = [];
  for (let token = scanner.scan(); token !== ts.SyntaxKind.EndOfFileToken; token = scanner.scan())
    if (token !== ts.SyntaxKind.SemicolonToken && token !== ts.SyntaxKind.CommaToken)
      tokens.push(scanner.getTokenText());
  return tokens.join(' ');
}

/** Whether two symbols are declared by the same words, in the same number of declarations. */
export function areDeclaredAlike(old: ts.Symbol, now: ts.Symbol): boolean {
  const [before, after] = [declarationsOf(old), declarationsOf(now)];
  return (
    before.length > 0 &&
    before.length === after.length &&
    before.every((node, index) => plainText(node) === plainText(after[index] ?? node))
  );
}

/** The declarations of a symbol; of a variable with the words before it. */
export function declarationsOf(symbol: ts.Symbol): readonly ts.Node[] {
  return symbol.declarations ?? [];
}

/** A name that a declaration uses: the node in both trees, and what it is used as. */
export type NamedUse = {
  readonly old: ts.Node;
  readonly new: ts.Node;
  readonly as: 'type' | 'value';
  /** Whether it stands where users give something, inside of what is looked at. */
  readonly isFlipped: boolean;
};

/** The names that two declarations of the same words use, in their order. */
export function usesOf(old: ts.Node, now: ts.Node): NamedUse[] {
  const uses: NamedUse[] = [];
  const visit = (from: ts.Node, to: ts.Node, isFlipped: boolean): void => {
    const add = (before: ts.Node | undefined, after: ts.Node | undefined, as: NamedUse['as']) => {
      if (before !== undefined && after !== undefined) uses.push({ old: before, new: after, as, isFlipped });
    };
    if (ts.isTypeReferenceNode(from) && ts.isTypeReferenceNode(to)) add(from.typeName, to.typeName, 'type');
    else if (ts.isExpressionWithTypeArguments(from) && ts.isExpressionWithTypeArguments(to)) {
      add(from.expression, to.expression, 'type');
      // A class has the constructor and the static members of its base.
      if (ts.isHeritageClause(from.parent) && ts.isClassLike(from.parent.parent))
        if (from.parent.token === ts.SyntaxKind.ExtendsKeyword) add(from.expression, to.expression, 'value');
    } else if (ts.isTypeQueryNode(from) && ts.isTypeQueryNode(to)) add(from.exprName, to.exprName, 'value');
    else if (ts.isImportTypeNode(from) && ts.isImportTypeNode(to))
      add(from.qualifier ?? from.argument, to.qualifier ?? to.argument, from.isTypeOf ? 'value' : 'type');
    const inner = childrenOf(to);
    for (const [index, child] of childrenOf(from).entries()) {
      const other = inner[index];
      if (other !== undefined) visit(child, other, ts.isParameter(child) ? !isFlipped : isFlipped);
    }
  };
  visit(old, now, false);
  return uses;
}

function childrenOf(node: ts.Node): ts.Node[] {
  const children: ts.Node[] = [];
  ts.forEachChild(node, (child) => void children.push(child));
  return children;
}
