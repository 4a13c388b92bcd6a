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
  /** Names of CommonJS that the code uses and does not bind, nor asks whether they exist. */
  readonly commonJsNames: readonly NameUse[];
  /** Whether it asks which module system it is in: code for both, as bundles have. */
  readonly asksForSystem: boolean;
  /** Files beside it that are found by `new URL(…, import.meta.url)`. */
  readonly data: readonly DataUse[];
};

/** A name that a script uses. */
export type NameUse = { readonly name: string; readonly isLate: boolean; readonly line: number };

/** A file that a script reads or hands on by its address. */
export type DataUse = {
  readonly specifier: string;
  readonly isTried: boolean;
  /** Whether only a folder above it is wanted: nothing is read there. */
  readonly isPlace: boolean;
  readonly line: number;
};

/** Names that a file exports: its own, and files whose names it hands on. */
export type ExportedNames = {
  readonly names: readonly string[];
  readonly from: readonly string[];
  /** Whether the list is all there is; false when something is exported that only running would tell. */
  readonly isComplete: boolean;
  /** Whether one value takes the place of the exports of CommonJS, and no `default` is put on anything. */
  readonly isOneValue: boolean;
};

type AnyNode = Node & { readonly [key: string]: unknown };

/** Reads a script: ECMAScript modules first, CommonJS else (ECMA-262; Node.js, "Modules: CommonJS modules"). */
export function readScript(text: string): ScriptFacts {
  const shebang = /^\ufeff?#![^\n]*/.exec(text)?.[0] ?? null;
  const parsed = tryParse(text, 'module');
  if ('program' in parsed) {
    const { isModule, isCommonJs, ...read } = new ScriptReader(text, parsed.program).read();
    return { ...read, syntax: isModule ? 'module' : isCommonJs ? 'commonjs' : 'either', reason: null, shebang };
  }
  // Sloppy code such as octal numbers or `with` is valid only outside of modules.
  const sloppy = tryParse(text, 'script');
  if ('program' in sloppy) {
    const { isModule: _, isCommonJs: __, ...read } = new ScriptReader(text, sloppy.program).read();
    return { ...read, syntax: 'commonjs', reason: null, shebang };
  }
  const exports = { names: [], from: [], isComplete: false, isOneValue: false };
  return {
    syntax: 'broken',
    reason: parsed.reason,
    uses: [],
    exports,
    shebang,
    commonJsNames: [],
    asksForSystem: false,
    data: [],
  };
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

/** What reading a tree gives. */
type Read = Pick<ScriptFacts, 'uses' | 'exports' | 'commonJsNames' | 'asksForSystem' | 'data'> & {
  readonly isModule: boolean;
  readonly isCommonJs: boolean;
};

const commonJsNames = new Set(['require', '__dirname', '__filename']);
const systemNames = new Set([...commonJsNames, 'module', 'exports']);

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
  #isOneValue = false;
  #hasDefault = false;
  readonly #bound = new Set<string>();
  readonly #named: NameUse[] = [];
  #asksForSystem = false;
  readonly #data: DataUse[] = [];
  readonly #places = new Set<AnyNode>();

  constructor(text: string, program: AnyNode) {
    [this.#lines, this.#program] = [new LineNumbers(text), program];
  }

  read(): Read {
    const body = this.#program['body'] as AnyNode[];
    this.#isModule = body.some(({ type }) => /^(?:Import|Export)/.test(type) && type !== 'ImportExpression');
    for (const statement of body) this.#topLevel(statement);
    this.#walk(this.#program, { inFunction: false, inTry: false, hasRequire: true });
    const exports = {
      names: [...this.#names],
      from: [...this.#from],
      isComplete: this.#isComplete,
      isOneValue: this.#isOneValue && !this.#hasDefault,
    };
    return {
      uses: this.#hasOwnRequire ? this.#uses.filter(({ how }) => how !== 'require') : this.#uses,
      exports,
      commonJsNames: this.#named.filter(({ name }) => !this.#bound.has(name)),
      asksForSystem: this.#asksForSystem,
      data: this.#data,
      isModule: this.#isModule,
      isCommonJs: this.#isCommonJs,
    };
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
        this.#place(node);
        break;
      case 'AssignmentExpression':
        if (nameOf((node['left'] as AnyNode)['property']) === 'default') this.#hasDefault = true;
        if (!this.#isModule) this.#exportAssignment(node);
        break;
      case 'NewExpression':
        this.#address(node, scope);
        break;
      default:
        this.#name(node, scope);
    }
  }

  /** Bound names, and uses of those that only CommonJS has. Who asks for the type of one expects that it may not be there. */
  #name(node: AnyNode, { inFunction, inTry }: Scope): void {
    if (node.type === 'Identifier') {
      const name = nameOf(node);
      if (commonJsNames.has(name) && !inTry)
        this.#named.push({ name, isLate: inFunction, line: this.#lines.at(node.start) });
    } else if (node.type === 'UnaryExpression' && node['operator'] === 'typeof') {
      const name = nameOf(node['argument']);
      this.#bound.add(name);
      if (systemNames.has(name)) this.#asksForSystem = true;
    } else for (const name of boundNames(node)) this.#bound.add(name);
  }

  /** `dirname(fileURLToPath(new URL(…)))`, and `resolve` and `join` with something that leads on from there. */
  #place(node: AnyNode): void {
    const called = (call: AnyNode) => nameOf((call['callee'] as AnyNode)['property'] ?? call['callee']);
    const [first] = node['arguments'] as AnyNode[];
    if (!/^(?:dirname|resolve|join)$/.test(called(node)) || first?.type !== 'CallExpression') return;
    const [address] = first['arguments'] as AnyNode[];
    if (called(first) === 'fileURLToPath' && address !== undefined) this.#places.add(address);
  }

  /** `new URL('./x', import.meta.url)` */
  #address(node: AnyNode, { inTry }: Scope): void {
    const [first, second] = node['arguments'] as AnyNode[];
    const specifier = textOf(first);
    if (nameOf(node['callee']) !== 'URL' || specifier === null || second?.type !== 'MemberExpression') return;
    if ((second['object'] as AnyNode).type !== 'MetaProperty' || nameOf(second['property']) !== 'url') return;
    this.#data.push({
      specifier,
      isTried: inTry,
      isPlace: this.#places.has(node),
      line: this.#lines.at(node.start),
    });
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
      this.#isOneValue = isPlainValue(value);
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
    if (value === null || typeof value !== 'object' || (node['computed'] === false && isOnlyName(key, node))) continue;
    const tried = node.type === 'TryStatement' && key === 'block' ? { ...inner, inTry: true } : inner;
    if (isNode(value)) found.push([value, tried]);
    else if (Array.isArray(value)) for (const item of value) if (isNode(item)) found.push([item, tried]);
  }
  return found;
}

/** The name of a property is no use of a variable. */
function isOnlyName(key: string, { type }: AnyNode): boolean {
  return type === 'MemberExpression' ? key === 'property' : key === 'key';
}

/** A value that has no `default` of its own: not what another call gives. */
function isPlainValue({ type }: AnyNode): boolean {
  return /^(?:Identifier|Literal|TemplateLiteral|(?:Arrow)?FunctionExpression|ClassExpression|ArrayExpression)$/.test(
    type,
  );
}

/** Names that a node binds for what stands inside it or beside it. */
function boundNames(node: AnyNode): string[] {
  if (node.type === 'VariableDeclarator') return patternNames(node['id'] as AnyNode);
  if (/^Import(?:Default|Namespace)?Specifier$/.test(node.type)) return [nameOf(node['local'])];
  if (node.type === 'CatchClause') return patternNames(node['param'] as AnyNode | null);
  if (!/Function/.test(node.type) && node.type !== 'ClassDeclaration') return [];
  return [nameOf(node['id']), ...((node['params'] as AnyNode[] | undefined) ?? []).flatMap(patternNames)];
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
