import { type Node, parse } from 'acorn';

/** What the code of an export says of how it is called. */
export type FunctionShape = {
  readonly kind: 'function' | 'class' | 'variable';
  /** Parameters as written, without the values that stand in for missing ones. */
  readonly parameters: readonly string[];
  /** How many come before the first that has a value of its own or takes all that are left. */
  readonly plain: number;
  readonly hasRest: boolean;
  readonly line: number;
};

type AnyNode = Node & { readonly [key: string]: unknown };

/** Shapes of what a script declares at its top and exports, by exported name; a name that is not found has none. */
export function functionShapes(text: string): Map<string, FunctionShape> {
  const program = parseAnyhow(text);
  const shapes = new Map<string, FunctionShape>();
  if (program === null) return shapes;
  const local = new Map<string, FunctionShape>();
  const lineAt = lineCounter(text);
  const statements = program['body'] as AnyNode[];
  for (const statement of statements)
    for (const [name, node] of declaredIn(statement)) local.set(name, shapeOf(node, text, lineAt));
  const give = (name: string, value: AnyNode | null) => {
    const shape =
      value?.type === 'Identifier'
        ? local.get(nameOf(value))
        : value === null
          ? undefined
          : shapeOf(value, text, lineAt);
    if (shape !== undefined) shapes.set(name, shape);
  };
  for (const statement of statements) exportsIn(statement, give);
  return shapes;
}

function parseAnyhow(text: string): AnyNode | null {
  for (const sourceType of ['module', 'script'] as const)
    try {
      const options = { ecmaVersion: 'latest', sourceType, allowHashBang: true } as const;
      return parse(text, { ...options, allowReturnOutsideFunction: sourceType === 'script' }) as unknown as AnyNode;
    } catch (error) {
      if (!(error instanceof SyntaxError) && !(error instanceof RangeError)) throw error;
    }
  return null;
}

function declaredIn(statement: AnyNode): [string, AnyNode][] {
  const inner = (statement['declaration'] as AnyNode | null | undefined) ?? statement;
  if (/^(?:Function|Class)Declaration$/.test(inner.type)) return [[nameOf(inner['id']) || 'default', inner]];
  if (inner.type !== 'VariableDeclaration') return [];
  return (inner['declarations'] as AnyNode[]).flatMap((item): [string, AnyNode][] =>
    (item['id'] as AnyNode).type === 'Identifier' && item['init'] !== null
      ? [[nameOf(item['id']), item['init'] as AnyNode]]
      : [],
  );
}

function exportsIn(statement: AnyNode, give: (name: string, value: AnyNode | null) => void): void {
  if (statement.type === 'ExportDefaultDeclaration') give('default', statement['declaration'] as AnyNode);
  if (statement.type === 'ExportNamedDeclaration') {
    for (const [name, node] of declaredIn(statement)) if (statement['declaration'] !== null) give(name, node);
    if (statement['source'] === null)
      for (const item of statement['specifiers'] as AnyNode[]) give(nameOf(item['exported']), item['local'] as AnyNode);
  }
  if (statement.type === 'ExpressionStatement') assignmentIn(statement['expression'] as AnyNode, give);
}

/** `exports.name = value` and `module.exports = { name: value }`. */
function assignmentIn(node: AnyNode, give: (name: string, value: AnyNode | null) => void): void {
  if (node.type !== 'AssignmentExpression') return;
  const [left, right] = [node['left'] as AnyNode, node['right'] as AnyNode];
  if (left.type !== 'MemberExpression') return;
  const on = left['object'] as AnyNode;
  const isWhole = nameOf(on) === 'module' && nameOf(left['property']) === 'exports';
  const isOnExports = nameOf(on) === 'exports' || (on.type === 'MemberExpression' && nameOf(on['object']) === 'module');
  if (isOnExports && left['computed'] !== true) give(nameOf(left['property']), right);
  if (!isWhole) return;
  if (right.type !== 'ObjectExpression') give('module.exports', right);
  for (const property of (right['properties'] ?? []) as AnyNode[])
    if (property.type === 'Property' && property['computed'] !== true)
      give(nameOf(property['key']), property['value'] as AnyNode);
}

function shapeOf(node: AnyNode, text: string, lineAt: (position: number) => number): FunctionShape {
  const isClass = /^Class/.test(node.type);
  const maker = isClass ? constructorOf(node) : /Function/.test(node.type) ? node : null;
  const parameters = (maker?.['params'] ?? []) as AnyNode[];
  const plain = parameters.findIndex(({ type }) => type === 'AssignmentPattern' || type === 'RestElement');
  return {
    kind: isClass ? 'class' : maker === null ? 'variable' : 'function',
    parameters: parameters.map((parameter) => parameterText(parameter, text)),
    plain: plain === -1 ? parameters.length : plain,
    hasRest: parameters.at(-1)?.type === 'RestElement',
    line: lineAt(node.start),
  };
}

function constructorOf(node: AnyNode): AnyNode | null {
  const members = ((node['body'] as AnyNode)['body'] ?? []) as AnyNode[];
  return (members.find((member) => member['kind'] === 'constructor')?.['value'] as AnyNode | undefined) ?? null;
}

function parameterText(node: AnyNode, text: string): string {
  if (node.type === 'AssignmentPattern') return `${parameterText(node['left'] as AnyNode, text)}?`;
  if (node.type === 'RestElement') return `...${parameterText(node['argument'] as AnyNode, text)}`;
  return node.type === 'Identifier' ? nameOf(node) : node.type === 'ObjectPattern' ? '{…}' : '[…]';
}

function nameOf(node: unknown): string {
  const { name, value } = (node ?? {}) as { name?: unknown; value?: unknown };
  return typeof name === 'string' ? name : typeof value === 'string' ? value : '';
}

function lineCounter(text: string): (position: number) => number {
  const starts = [0];
  for (let at = text.indexOf('\n'); at !== -1; at = text.indexOf('\n', at + 1)) starts.push(at + 1);
  return (position) => {
    let [low, high] = [0, starts.length - 1];
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if ((starts[middle] ?? 0) <= position) low = middle;
      else high = middle - 1;
    }
    return low + 1;
  };
}
