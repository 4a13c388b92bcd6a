import { field, fieldText, lineOf, oneLine, partOf, parts, type SyntaxNode } from '../syntax/parser.ts';
import type {
  PythonAttribute,
  PythonBinding,
  PythonClass,
  PythonDefinition,
  PythonFunction,
  PythonImport,
  PythonModule,
  PythonParameter,
  PythonSignature,
} from './definitions.ts';

/** Where a module is, and whose it is. */
export type ModulePlace = Pick<PythonModule, 'name' | 'file' | 'isStub' | 'isPackage'>;

/** What a source of Python defines and imports (The Python Language Reference, 5 "The import system" and 7, 8). */
export function readPythonModule(root: SyntaxNode, place: ModulePlace): PythonModule {
  const found = new ModuleReader(place);
  found.block(root, false);
  const why = root.hasError ? 'it has a syntax error' : found.whyDynamic;
  return {
    ...place,
    definitions: found.definitions.all,
    imports: found.imports,
    stars: found.stars,
    all: found.all,
    allFrom: found.allFrom,
    whyDynamic: why,
  };
}

/** Definitions of a module or class by name; the last of equal ones counts, as at run time. */
class Definitions {
  readonly all = new Map<string, PythonDefinition>();
  readonly #branches = new Map<string, string>();

  add(definition: PythonDefinition, isInBranch: boolean): void {
    const { name } = definition;
    const text = JSON.stringify({ ...definition, line: 0 });
    const before = this.#branches.get(name);
    const known = this.all.get(name);
    if (isInBranch) this.#branches.set(name, before ?? text);
    const isUnsure = isInBranch && known !== undefined && (known.isUnsure || (before ?? text) !== text);
    const merged =
      known?.type === 'function' && definition.type === 'function' ? mergeFunctions(known, definition) : definition;
    this.all.set(name, isUnsure ? { ...merged, isUnsure } : merged);
  }

  delete(name: string): void {
    this.all.delete(name);
  }
}

/** Overloads belong together, and the setter belongs to its property. */
function mergeFunctions(known: PythonFunction, now: PythonFunction): PythonFunction {
  if (now.wrappers.includes(setterMark)) return { ...known, isSettable: true };
  if (!known.wrappers.includes(overloadMark)) return now;
  const signatures = now.wrappers.includes(overloadMark) ? [...known.signatures, ...now.signatures] : known.signatures;
  // What an implementation without the mark looks like is nothing for users.
  return { ...known, signatures };
}

const overloadMark = '\0overload';
const setterMark = '\0setter';

class ModuleReader {
  readonly definitions = new Definitions();
  readonly imports = new Map<string, PythonImport>();
  readonly stars: string[] = [];
  readonly allFrom: string[] = [];
  all: string[] | null = null;
  whyDynamic: string | null = null;
  readonly #place: ModulePlace;

  constructor(place: ModulePlace) {
    this.#place = place;
  }

  block(node: SyntaxNode, isInBranch: boolean): void {
    for (const statement of parts(node)) this.#statement(statement, isInBranch);
  }

  #statement(node: SyntaxNode, isInBranch: boolean): void {
    if (/^(?:if|try|with|match)_statement$/.test(node.type)) {
      // What a program does when it is started is nothing for users.
      if (!/\b__name__\b/.test(fieldText(node, 'condition') ?? '')) this.#branches(node);
    } else if (/^import_(?:from_)?statement$/.test(node.type)) this.#import(node);
    else if (node.type === 'delete_statement')
      for (const name of node.descendantsOfType('identifier')) this.definitions.delete(name.text);
    else if (node.type === 'expression_statement') this.#expression(node, isInBranch);
    else {
      const definition = readDefinition(node, 'plain');
      if (definition?.name === '__getattr__') this.whyDynamic = 'it makes names when they are asked for (__getattr__)';
      else if (definition !== null) this.definitions.add(definition, isInBranch);
    }
  }

  #branches(node: SyntaxNode): void {
    for (const child of parts(node)) {
      if (child.type === 'block') this.block(child, true);
      else if (/(?:_clause|^case_block)$/.test(child.type)) this.#branches(child);
    }
  }

  #expression(node: SyntaxNode, isInBranch: boolean): void {
    const first = parts(node)[0];
    if (first === undefined) return;
    if (this.#list(first)) return;
    for (const attribute of readAttributes(first)) this.definitions.add(attribute, isInBranch);
  }

  /** `__all__ = […]`, `__all__ += […]`, `__all__.extend(…)` and `__all__.append(…)`. @returns whether it is one of them. */
  #list(node: SyntaxNode): boolean {
    const left = field(node, 'left') ?? field(node, 'function');
    const name = left?.text;
    if (name !== '__all__' && name !== '__all__.extend' && name !== '__all__.append' && name !== '__all__.remove')
      return false;
    if (name === '__all__.remove') {
      const removed = stringsIn(field(node, 'arguments') ?? node);
      this.all = (this.all ?? []).filter((one) => removed?.includes(one) !== true);
      return true;
    }
    const value = name === '__all__' ? field(node, 'right') : (parts(field(node, 'arguments') ?? node)[0] ?? null);
    if (node.type === 'assignment') this.all = [];
    this.all ??= [];
    for (const summand of summands(value)) {
      const names = summand.type === 'string' ? stringsIn(summand.parent ?? summand) : stringsIn(summand);
      const other = /^(?:([\w.]+)\.__all__)$/.exec(summand.text)?.[1];
      if (names !== null) this.all.push(...names);
      else if (other !== undefined) this.allFrom.push(this.imports.get(other)?.module ?? other);
      else this.whyDynamic = 'its __all__ is computed';
    }
    return true;
  }

  #import(node: SyntaxNode): void {
    const from = field(node, 'module_name');
    const module = from === null ? null : this.#absolute(from.text);
    if (module !== null && partOf(node, 'wildcard_import') !== null) this.stars.push(module);
    for (const imported of node.childrenForFieldName('name')) {
      const alias = imported.type === 'aliased_import' ? fieldText(imported, 'alias') : null;
      const name = imported.type === 'aliased_import' ? (fieldText(imported, 'name') ?? '') : imported.text;
      const isOwn = module !== null && module.split('.')[0] === this.#place.name.split('.')[0];
      const isOffered =
        alias === name ||
        (this.#place.isPackage && !this.#place.isStub && isOwn) ||
        (alias === null && from?.text === '.' && this.#place.isPackage);
      const line = lineOf(node);
      if (module !== null) this.imports.set(alias ?? name, { module, name, isOffered, line });
      // `import a.b` binds the name `a`.
      else if (alias !== null) this.imports.set(alias, { module: name, name: null, isOffered, line });
      else
        this.imports.set(name.split('.')[0] ?? name, {
          module: name.split('.')[0] ?? name,
          name: null,
          isOffered,
          line,
        });
    }
  }

  /** 5.7 "Package Relative Imports". */
  #absolute(text: string): string {
    const dots = /^\.*/.exec(text)?.[0].length ?? 0;
    if (dots === 0) return text;
    const parents = this.#place.name.split('.');
    const up = dots - (this.#place.isPackage ? 1 : 0);
    const base = up === 0 ? parents : parents.slice(0, -up);
    const rest = text.slice(dots).trim();
    return [...base, ...(rest === '' ? [] : [rest])].join('.');
  }
}

function summands(node: SyntaxNode | null): SyntaxNode[] {
  if (node === null) return [];
  if (node.type !== 'binary_operator') return [node];
  return [...summands(field(node, 'left')), ...summands(field(node, 'right'))];
}

/** Strings of a list or tuple; null where something else is among them. */
function stringsIn(node: SyntaxNode): string[] | null {
  if (!['list', 'tuple', 'argument_list', 'set'].includes(node.type)) return null;
  const texts = parts(node).map((child) =>
    child.type === 'string' ? /^[rbuRBU]*(["'])(?:\1\1)?(.*?)\1+$/s.exec(child.text)?.[2] : undefined,
  );
  return texts.every((text) => text !== undefined) ? (texts as string[]) : null;
}

/** A function or class, with its decorators; null for another statement. */
function readDefinition(node: SyntaxNode, within: 'plain' | 'method'): PythonDefinition | null {
  if (node.type === 'decorated_definition') {
    const inner = field(node, 'definition');
    const decorators = node.namedChildren
      .filter(({ type }) => type === 'decorator')
      .map((child) => oneLine(child.text.slice(1)));
    return inner === null ? null : readPlain(inner, decorators, within);
  }
  if (node.type === 'type_alias_statement') {
    const [left, right] = parts(node);
    const name = /^\w+/.exec(left?.text ?? '')?.[0];
    if (name === undefined) return null;
    return {
      type: 'attribute',
      name,
      line: lineOf(node),
      annotation: 'type',
      value: oneLine(right?.text ?? ''),
      isUnsure: false,
    };
  }
  return readPlain(node, [], within);
}

function readPlain(
  node: SyntaxNode,
  decorators: readonly string[],
  within: 'plain' | 'method',
): PythonDefinition | null {
  if (node.type === 'function_definition') return readFunction(node, decorators, within);
  return node.type === 'class_definition' ? readClass(node, decorators) : null;
}

/** Last part of a dotted decorator, without arguments. */
const bareName = (decorator: string) => decorator.replace(/\(.*$/s, '').split('.').at(-1) ?? decorator;

/** These leave the signature as it is written. */
const plainDecorators = new Set(
  'staticmethod classmethod property cached_property abstractmethod abstractproperty overload final override lru_cache cache wraps contextmanager asynccontextmanager deprecated no_type_check runtime_checkable total_ordering setter deleter getter'.split(
    ' ',
  ),
);

function readFunction(node: SyntaxNode, decorators: readonly string[], within: 'plain' | 'method'): PythonFunction {
  const names = decorators.map(bareName);
  const has = (...wanted: readonly string[]) => wanted.some((name) => names.includes(name));
  const binding: PythonBinding =
    within === 'plain'
      ? 'plain'
      : has('property', 'cached_property', 'abstractproperty')
        ? 'property'
        : has('staticmethod')
          ? 'static'
          : has('classmethod')
            ? 'class'
            : 'method';
  const parameters = readParameters(field(node, 'parameters'));
  const isBound = binding === 'method' || binding === 'class' || binding === 'property';
  const name = fieldText(node, 'name') ?? '';
  const marks = [...(has('overload') ? [overloadMark] : []), ...(has('setter') ? [setterMark] : [])];
  const wrappers = decorators.filter((decorator) => !plainDecorators.has(bareName(decorator)));
  const signature: PythonSignature = {
    parameters: isBound || name === '__new__' ? parameters.slice(1) : parameters,
    returns: fieldText(node, 'return_type'),
  };
  return {
    type: 'function',
    name,
    line: lineOf(node),
    signatures: [signature],
    isAsync: node.children.some(({ type }) => type === 'async'),
    binding: name === '__new__' ? 'static' : binding,
    isAbstract: has('abstractmethod', 'abstractproperty'),
    isFinal: has('final'),
    isSettable: has('cached_property'),
    wrappers: [...wrappers, ...marks],
    isUnsure: false,
  };
}

/** 8.7 "Function definitions". */
function readParameters(node: SyntaxNode | null): PythonParameter[] {
  const found: PythonParameter[] = [];
  let isAfterStar = false;
  for (const child of node === null ? [] : parts(node)) {
    if (child.type === 'positional_separator') {
      for (const [index, parameter] of found.entries()) found[index] = { ...parameter, kind: 'positional' };
      continue;
    }
    if (child.type === 'keyword_separator') {
      isAfterStar = true;
      continue;
    }
    const inner = child.type === 'typed_parameter' ? child.namedChildren[0] : child;
    const named = field(child, 'name') ?? inner ?? child;
    const isRest = inner?.type === 'list_splat_pattern';
    const isKeywords = inner?.type === 'dictionary_splat_pattern';
    const name = named.text.replace(/^\*+/, '').trim();
    found.push({
      name,
      kind: isRest
        ? 'rest'
        : isKeywords
          ? 'keywords'
          : isAfterStar
            ? 'keyword'
            : /^__\w*[^_]$/.test(name)
              ? 'positional'
              : 'either',
      type: fieldText(child, 'type'),
      default: fieldText(child, 'value'),
    });
    if (isRest) isAfterStar = true;
  }
  return found;
}

function readClass(node: SyntaxNode, decorators: readonly string[]): PythonClass {
  const name = fieldText(node, 'name') ?? '';
  const all = parts(field(node, 'superclasses') ?? node.child(0) ?? node);
  const bases = field(node, 'superclasses') === null ? [] : all;
  const plain = bases.filter(({ type }) => type !== 'keyword_argument').map((base) => oneLine(base.text));
  const members = new Definitions();
  readMembers(field(node, 'body'), members, false);
  const marker = decorators.find(
    (decorator) =>
      /^(?:dataclass|define|frozen|attrs?|s|mutable|dataclass_transform)$/.test(bareName(decorator)) &&
      /dataclass|attr/.test(decorator),
  );
  const has = (option: string, value: string) => new RegExp(`\\b${option}\\s*=\\s*${value}\\b`).test(marker ?? '');
  const isDynamic = members.all.has('__getattr__') || members.all.has('__getattribute__');
  return {
    type: 'class',
    name,
    line: lineOf(node),
    bases: plain,
    members: members.all,
    isFinal: decorators.some((decorator) => bareName(decorator) === 'final'),
    dataclass:
      marker === undefined
        ? null
        : { isFrozen: has('frozen', 'True'), isKeywordOnly: has('kw_only', 'True'), hasInit: !has('init', 'False') },
    isDynamic,
    isUnsure: false,
  };
}

function readMembers(body: SyntaxNode | null, members: Definitions, isInBranch: boolean): void {
  for (const statement of body === null ? [] : parts(body)) {
    if (/^(?:if|try|with)_statement$|_clause$/.test(statement.type)) {
      for (const child of parts(statement)) {
        if (child.type === 'block') readMembers(child, members, true);
        else if (child.type.endsWith('_clause')) for (const block of parts(child)) readMembers(block, members, true);
      }
      continue;
    }
    if (statement.type === 'expression_statement') {
      for (const attribute of readAttributes(parts(statement)[0])) members.add(attribute, isInBranch);
      continue;
    }
    const definition = readDefinition(statement, 'method');
    if (definition === null) continue;
    members.add(definition, isInBranch);
    if (definition.name === '__init__')
      for (const attribute of ownAttributes(statement))
        if (!members.all.has(attribute.name)) members.add(attribute, false);
  }
}

/** What `__init__` sets on the object. */
function ownAttributes(node: SyntaxNode): PythonAttribute[] {
  const definition = node.type === 'decorated_definition' ? field(node, 'definition') : node;
  const body = definition === null ? null : field(definition, 'body');
  const self = definition === null ? null : (field(definition, 'parameters')?.namedChildren[0]?.text ?? 'self');
  return (body?.descendantsOfType('assignment') ?? []).flatMap((assignment): PythonAttribute[] => {
    const target = field(assignment, 'left');
    if (target?.type !== 'attribute' || fieldText(target, 'object') !== self) return [];
    const name = fieldText(target, 'attribute') ?? '';
    return [
      {
        type: 'attribute',
        name,
        line: lineOf(assignment),
        annotation: fieldText(assignment, 'type'),
        value: null,
        isUnsure: false,
      },
    ];
  });
}

function readAttributes(node: SyntaxNode | undefined): PythonAttribute[] {
  if (node?.type !== 'assignment') return [];
  const left = field(node, 'left');
  const right = field(node, 'right');
  const value = right === null ? null : oneLine(right.text.slice(0, 200));
  const targets =
    left?.type === 'identifier'
      ? [left]
      : left?.type === 'pattern_list' || left?.type === 'tuple_pattern'
        ? parts(left)
        : [];
  const own = targets
    .filter(({ type }) => type === 'identifier')
    .map(
      (target): PythonAttribute => ({
        type: 'attribute',
        name: target.text,
        line: lineOf(target),
        annotation: fieldText(node, 'type'),
        value: right?.type === 'assignment' ? null : value,
        isUnsure: false,
      }),
    );
  return [...own, ...(right?.type === 'assignment' ? readAttributes(right) : [])];
}
