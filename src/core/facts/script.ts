import { type Node, parse } from 'acorn';

/** A module that a script asks for. */
export type ImportUse = {
  readonly specifier: string;
  readonly how: 'import' | 'require' | 'dynamic';
  /** Whether the code expects that it may be missing, or asks for it late: inside `try`, or inside a function. */
  readonly isLate: boolean;
  readonly isTried: boolean;
  readonly line: number;
};

/** What a JavaScript file says, read without running it. */
export type ScriptFacts = {
  /** `either` has neither imports and exports nor a call of `require` or an assignment to `exports` at its top. */
  readonly syntax: 'module' | 'commonjs' | 'either' | 'broken';
  /** Why it cannot be parsed. */
  readonly reason: string | null;
  readonly uses: readonly ImportUse[];
  readonly exports: ExportedNames;
  readonly shebang: string | null;
};

/** Names that a file exports: its own, and files whose names it hands on. */
export type ExportedNames = {
  readonly names: readonly string[];
  readonly from: readonly string[];
  /** Whether the list is all there is; false when something is exported that only running would tell. */
  readonly isComplete: boolean;
};

type AnyNode = Node & { readonly [key: string]: unknown };

/** Reads a script: ECMAScript modules first, CommonJS else (ECMA-262; Node.js, "Modules: CommonJS modules"). */
export function readScript(text: string): ScriptFacts {
  const shebang = /^\ufeff?#![^\n]*/.exec(text)?.[0] ?? null;
  const parsed = tryParse(text, 'module');
  if ('program' in parsed) {
    const { uses, exports, isModule, isCommonJs } = new ScriptReader(text, parsed.program).read();
    if (isModule) return { syntax: 'module', reason: null, uses, exports, shebang };
    return { syntax: isCommonJs ? 'commonjs' : 'either', reason: null, uses, exports, shebang };
  }
  // Sloppy code such as octal numbers or `with` is valid only outside of modules.
  const sloppy = tryParse(text, 'script');
  if ('program' in sloppy) {
    const { uses, exports } = new ScriptReader(text, sloppy.program).read();
    return { syntax: 'commonjs', reason: null, uses, exports, shebang };
  }
  const exports = { names: [], from: [], isComplete: false };
  return { syntax: 'broken', reason: parsed.reason, uses: [], exports, shebang };
}

function tryParse(text: string, sourceType: 'module' | 'script'): { program: AnyNode } | { reason: string } {
  try {
    const program = parse(text, {
      ecmaVersion: 'latest',
      sourceType,
      locations: false,
      allowHashBang: true,
      allowReturnOutsideFunction: sourceType === 'script',
      allowAwaitOutsideFunction: sourceType === 'module',
    });
    return { program: program as unknown as AnyNode };
  } catch (error) {
    if (error instanceof SyntaxError || error instanceof RangeError) return { reason: error.message };
    throw error;
  }
}

type Scope = { readonly inFunction: boolean; readonly inTry: boolean; readonly hasRequire: boolean };

/** Walks the tree of one script. */
class ScriptReader {
  readonly #lines: LineNumbers;
  readonly #program: AnyNode;
  readonly #uses: ImportUse[] = [];
  readonly #names = new Set<string>();
  readonly #from = new Set<string>();
  #isModule = false;
  #isCommonJs = false;
  #isComplete = true;
  #hasOwnRequire = false;

  constructor(text: string, program: AnyNode) {
    [this.#lines, this.#program] = [new LineNumbers(text), program];
  }

  read(): { uses: ImportUse[]; exports: ExportedNames; isModule: boolean; isCommonJs: boolean } {
    const body = this.#program['body'] as AnyNode[];
    this.#isModule = body.some(({ type }) => /^(?:Import|Export)/.test(type) && type !== 'ImportExpression');
    for (const statement of body) this.#topLevel(statement);
    this.#walk(this.#program, { inFunction: false, inTry: false, hasRequire: true });
    const exports = { names: [...this.#names], from: [...this.#from], isComplete: this.#isComplete };
    const uses = this.#hasOwnRequire ? this.#uses.filter(({ how }) => how !== 'require') : this.#uses;
    return { uses, exports, isModule: this.#isModule, isCommonJs: this.#isCommonJs };
  }

  #topLevel(statement: AnyNode): void {
    switch (statement.type) {
      case 'ExportNamedDeclaration':
        for (const child of statement['specifiers'] as AnyNode[]) this.#names.add(nameOf(child['exported']));
        for (const name of declaredNames(statement['declaration'] as AnyNode | null)) this.#names.add(name);
        break;
      case 'ExportDefaultDeclaration':
        this.#names.add('default');
        break;
      case 'ExportAllDeclaration':
        if (statement['exported'] === null) this.#from.add(textOf(statement['source']) ?? '');
        else this.#names.add(nameOf(statement['exported']));
        break;
      // An assignment without `typeof module` around it tells a CommonJS file for certain.
      case 'ExpressionStatement':
        if (isExportsTarget(assignedTo(statement['expression'] as AnyNode))) this.#isCommonJs = true;
        break;
      case 'VariableDeclaration':
        for (const child of statement['declarations'] as AnyNode[])
          if (isRequireCall(child['init'] as AnyNode | null)) this.#isCommonJs = true;
        break;
      default:
    }
    if (declaredNames(statement).includes('require')) this.#hasOwnRequire = true;
    if (statement.type === 'ImportDeclaration')
      for (const child of statement['specifiers'] as AnyNode[])
        if (nameOf(child['local']) === 'require') this.#hasOwnRequire = true;
  }

  /** Every node in the order of the text. Without recursion: generated code nests as deep as a long sum has terms. */
  #walk(top: AnyNode, scope: Scope): void {
    const waiting: [AnyNode, Scope][] = [[top, scope]];
    for (let next = waiting.pop(); next !== undefined; next = waiting.pop()) {
      this.#visit(...next);
      const inside = childrenOf(...next);
      while (inside.length > 0) waiting.push(inside.pop() as [AnyNode, Scope]);
    }
  }

  #visit(node: AnyNode, scope: Scope): void {
    switch (node.type) {
      case 'ImportDeclaration':
      case 'ExportAllDeclaration':
      case 'ExportNamedDeclaration':
        this.#use({ source: node['source'], how: 'import', scope, at: node.start });
        break;
      case 'ImportExpression':
        this.#use({ source: node['source'], how: 'dynamic', scope, at: node.start });
        break;
      case 'CallExpression':
        if (isRequireCall(node) && scope.hasRequire)
          this.#use({ source: (node['arguments'] as AnyNode[])[0], how: 'require', scope, at: node.start });
        if (!this.#isModule) this.#exportCall(node);
        break;
      case 'AssignmentExpression':
        if (!this.#isModule) this.#exportAssignment(node);
        break;
      default:
    }
  }

  #use({
    source,
    how,
    scope: { inFunction, inTry },
    at,
  }: {
    readonly source: unknown;
    readonly how: ImportUse['how'];
    readonly scope: Scope;
    readonly at: number;
  }): void {
    const specifier = textOf(source);
    if (specifier === null) return;
    const isLate = how !== 'import' && (inFunction || inTry || how === 'dynamic');
    this.#uses.push({ specifier, how, isLate, isTried: inTry, line: this.#lines.at(at) });
  }

  /** `exports.a = …`, `module.exports = { a, b }` and what compilers make of them. */
  #exportAssignment(node: AnyNode): void {
    const target = assignedTo(node);
    if (target === null || !isExportsTarget(target)) return;
    const right = node['right'] as AnyNode;
    const name = memberOfExports(target);
    if (name !== null) {
      this.#names.add(name);
      return;
    }
    if (target.type === 'MemberExpression' && target['computed'] === true && !isModuleExports(target)) {
      this.#isComplete = false;
      return;
    }
    this.#wholeExports(right);
  }

  #wholeExports(value: AnyNode): void {
    if (value.type === 'AssignmentExpression') {
      this.#wholeExports(value['right'] as AnyNode);
      return;
    }
    const required = isRequireCall(value) ? textOf((value['arguments'] as AnyNode[])[0]) : null;
    if (required !== null) {
      this.#from.add(required);
      return;
    }
    if (value.type !== 'ObjectExpression') {
      this.#isComplete = false;
      return;
    }
    for (const property of value['properties'] as AnyNode[]) {
      const key = property['key'] as AnyNode | undefined;
      if (property.type !== 'Property' || property['computed'] === true || key === undefined) this.#isComplete = false;
      else this.#names.add(nameOf(key));
    }
  }

  /** `Object.defineProperty(exports, "a", …)` and `__exportStar(require("./a"), exports)`. */
  #exportCall(node: AnyNode): void {
    const [first, second] = node['arguments'] as AnyNode[];
    const callee = node['callee'] as AnyNode;
    const called = callee.type === 'MemberExpression' ? nameOf(callee['property']) : nameOf(callee);
    const on = callee.type === 'MemberExpression' ? (callee['object'] as AnyNode) : null;
    if (called === '__defineGetter__' && on !== null && isExportsItself(on)) this.#names.add(textOf(first) ?? '');
    if (called === 'defineProperty' && first !== undefined && isExportsItself(first)) {
      const name = textOf(second);
      if (name === null) this.#isComplete = false;
      else if (name !== '__esModule') this.#names.add(name);
    } else if (/^_*export(?:Star|All)?$/i.test(called) && isRequireCall(first ?? null)) {
      const from = textOf((first?.['arguments'] as AnyNode[] | undefined)?.[0]);
      if (from !== null) this.#from.add(from);
    } else if (
      /^(?:assign|defineProperties|_+export\w*|_+reExport)$/.test(called) &&
      first !== undefined &&
      isExportsItself(first)
    ) {
      this.#isComplete = false;
    }
  }
}

/** The nodes inside a node, each with what holds there. */
function childrenOf(node: AnyNode, scope: Scope): [AnyNode, Scope][] {
  // A bundle wraps each file in a function with a `require` of its own.
  const inner = /Function/.test(node.type)
    ? { ...scope, inFunction: true, hasRequire: scope.hasRequire && !bindsRequire(node) }
    : scope;
  const found: [AnyNode, Scope][] = [];
  for (const key in node) {
    const value = node[key];
    if (value === null || typeof value !== 'object') continue;
    const tried = node.type === 'TryStatement' && key === 'block' ? { ...inner, inTry: true } : inner;
    if (isNode(value)) found.push([value, tried]);
    else if (Array.isArray(value)) for (const item of value) if (isNode(item)) found.push([item, tried]);
  }
  return found;
}

function bindsRequire(node: AnyNode): boolean {
  const params = (node['params'] as AnyNode[] | undefined) ?? [];
  return params.some((param) => param.type === 'Identifier' && param['name'] === 'require');
}

function isNode(value: unknown): value is AnyNode {
  return typeof value === 'object' && value !== null && typeof (value as { type?: unknown }).type === 'string';
}

function textOf(node: unknown): string | null {
  if (!isNode(node)) return null;
  if (node.type === 'Literal' && typeof node['value'] === 'string') return node['value'];
  if (node.type !== 'TemplateLiteral' || (node['expressions'] as unknown[]).length > 0) return null;
  const [part] = node['quasis'] as { value: { cooked: string | null } }[];
  return part?.value.cooked ?? null;
}

function nameOf(node: unknown): string {
  if (!isNode(node)) return '';
  return typeof node['name'] === 'string' ? node['name'] : String(node['value'] ?? '');
}

function isRequireCall(node: AnyNode | null): boolean {
  return (
    node?.type === 'CallExpression' &&
    nameOf(node['callee']) === 'require' &&
    (node['callee'] as AnyNode).type === 'Identifier'
  );
}

function assignedTo(node: AnyNode): AnyNode | null {
  return node.type === 'AssignmentExpression' && node['operator'] === '=' ? (node['left'] as AnyNode) : null;
}

function isModuleExports(node: AnyNode): boolean {
  return (
    node.type === 'MemberExpression' && nameOf(node['object']) === 'module' && nameOf(node['property']) === 'exports'
  );
}

function isExportsItself(node: AnyNode): boolean {
  return (node.type === 'Identifier' && node['name'] === 'exports') || isModuleExports(node);
}

function isExportsTarget(node: AnyNode | null): boolean {
  if (node === null || node.type !== 'MemberExpression') return false;
  return isModuleExports(node) || isExportsItself(node['object'] as AnyNode);
}

/** `a` of `exports.a` and `module.exports.a`. */
function memberOfExports(node: AnyNode): string | null {
  if (isModuleExports(node) || !isExportsItself(node['object'] as AnyNode)) return null;
  if (node['computed'] === true) return textOf(node['property']);
  return nameOf(node['property']);
}

/** Names that a declaration binds. */
function declaredNames(node: AnyNode | null): string[] {
  if (node === null) return [];
  if (node.type === 'VariableDeclaration')
    return (node['declarations'] as AnyNode[]).flatMap((child) => patternNames(child['id'] as AnyNode));
  return node.type === 'FunctionDeclaration' || node.type === 'ClassDeclaration' ? [nameOf(node['id'])] : [];
}

function patternNames(node: AnyNode | null): string[] {
  if (node === null) return [];
  if (node.type === 'Identifier') return [nameOf(node)];
  if (node.type === 'ObjectPattern')
    return (node['properties'] as AnyNode[]).flatMap((child) =>
      patternNames((child['value'] ?? child['argument']) as AnyNode),
    );
  if (node.type === 'ArrayPattern') return (node['elements'] as (AnyNode | null)[]).flatMap(patternNames);
  if (node.type === 'AssignmentPattern') return patternNames(node['left'] as AnyNode);
  return node.type === 'RestElement' ? patternNames(node['argument'] as AnyNode) : [];
}

/** Line numbers of a text, from 1. The beginnings of its lines are found once, however many are asked for. */
class LineNumbers {
  readonly #text: string;
  #starts: number[] | null = null;

  constructor(text: string) {
    this.#text = text;
  }

  at(offset: number): number {
    this.#starts ??= startsOf(this.#text);
    let [low, high] = [0, this.#starts.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((this.#starts[middle] ?? 0) <= offset) low = middle + 1;
      else high = middle;
    }
    return low;
  }
}

function startsOf(text: string): number[] {
  const starts = [0];
  for (let at = text.indexOf('\n'); at !== -1; at = text.indexOf('\n', at + 1)) starts.push(at + 1);
  return starts;
}
