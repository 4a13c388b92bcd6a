import { field, fieldText, lineOf, oneLine, partOf, parts, type SyntaxNode } from '../syntax/parser.ts';
import type {
  GoDeclaration,
  GoField,
  GoFile,
  GoMethodElement,
  GoSignature,
  GoTypeParameter,
  GoValue,
} from './definitions.ts';

/** What a source of Go declares at its top (The Go Programming Language Specification, "Declarations and scope"). */
export function readGoFile(root: SyntaxNode, file: string): GoFile {
  const reader = new FileReader(root, file);
  return {
    file,
    package: partOf(root, 'package_clause')?.namedChildren[0]?.text ?? '',
    condition: reader.condition,
    declarations: reader.read(),
  };
}

// `go help buildconstraint`: systems and machines that a file's name may end in.
const systems = new Set(
  'aix android darwin dragonfly freebsd illumos ios js linux netbsd openbsd plan9 solaris wasip1 windows'.split(' '),
);
const machines = new Set(
  '386 amd64 arm arm64 loong64 mips mips64 mips64le mipsle ppc64 ppc64le riscv64 s390x wasm'.split(' '),
);

function conditionOf(root: SyntaxNode, file: string): string {
  const words = file
    .slice(file.lastIndexOf('/') + 1, -3)
    .split('_')
    .slice(1);
  const last = words.slice(-2);
  const byName = last.filter((word, index) => (machines.has(word) && index === last.length - 1) || systems.has(word));
  const lines = root.namedChildren
    .filter(({ type }) => type === 'comment')
    .map(({ text }) => /^\/\/go:build (.+)$/.exec(text)?.[1]);
  return [...byName, ...lines.filter((line) => line !== undefined)].join(' && ').trim();
}

class FileReader {
  readonly condition: string;
  readonly #root: SyntaxNode;
  readonly #file: string;
  /** What packages are called here, and what they are called by themselves. */
  readonly #imports = new Map<string, string>();

  constructor(root: SyntaxNode, file: string) {
    [this.#root, this.#file, this.condition] = [root, file, conditionOf(root, file)];
    for (const spec of root.descendantsOfType('import_spec')) {
      const alias = fieldText(spec, 'name');
      const path = fieldText(spec, 'path')?.replace(/["`]/g, '') ?? '';
      const own =
        path
          .replace(/\/v\d+$/, '')
          .split('/')
          .at(-1) ?? path;
      if (alias !== null && alias !== '.' && alias !== '_') this.#imports.set(alias, own);
    }
  }

  read(): GoDeclaration[] {
    return parts(this.#root).flatMap((node): GoDeclaration[] => {
      switch (node.type) {
        case 'function_declaration':
        case 'method_declaration':
          return [this.#function(node)];
        case 'type_declaration':
          return parts(node).flatMap((spec) => this.#type(spec));
        case 'const_declaration':
          return this.#constants(node);
        case 'var_declaration':
          return node.descendantsOfType('var_spec').flatMap((spec) => this.#values(spec, 'variable'));
        default:
          return [];
      }
    });
  }

  #common(node: SyntaxNode, name: string) {
    return { name, file: this.#file, line: lineOf(node), condition: this.condition };
  }

  #function(node: SyntaxNode): GoDeclaration {
    const receiver = field(node, 'receiver');
    const type = receiver === null ? '' : (this.#parameters(receiver)[0] ?? '');
    return {
      ...this.#common(node, fieldText(node, 'name') ?? ''),
      kind: 'function',
      receiver:
        receiver === null
          ? null
          : { type: type.replace(/^\*/, '').replace(/\[.*$/s, ''), isPointer: type.startsWith('*') },
      typeParameters: this.#typeParameters(node),
      signature: this.#signature(node),
    };
  }

  #signature(node: SyntaxNode): GoSignature {
    const [list, result] = [field(node, 'parameters'), field(node, 'result')];
    return {
      parameters: list === null ? [] : this.#parameters(list),
      results:
        result === null ? [] : result.type === 'parameter_list' ? this.#parameters(result) : [this.#typeText(result)],
    };
  }

  /** A type for each parameter: `a, b int` are two. */
  #parameters(list: SyntaxNode): string[] {
    return parts(list).flatMap((node) => {
      const type = field(node, 'type');
      const text = `${node.type === 'variadic_parameter_declaration' ? '...' : ''}${type === null ? oneLine(node.text) : this.#typeText(type)}`;
      return Array.from({ length: Math.max(1, node.childrenForFieldName('name').length) }, () => text);
    });
  }

  #typeParameters(node: SyntaxNode): GoTypeParameter[] {
    const list = field(node, 'type_parameters');
    return (list === null ? [] : parts(list)).flatMap((parameter) => {
      const type = field(parameter, 'type');
      const constraint = type === null ? 'any' : this.#typeText(type);
      return parameter.childrenForFieldName('name').map((name) => ({ name: name.text, constraint }));
    });
  }

  /** One spelling of a type: without names of parameters, packages by their own names, `any` for the empty interface. */
  #typeText(node: SyntaxNode, depth = 0): string {
    if (depth > 64) return oneLine(node.text);
    if (node.type === 'function_type') {
      const { parameters, results } = this.#signature(node);
      return `func${signatureText({ parameters, results })}`;
    }
    if (node.type === 'qualified_type') {
      const name = fieldText(node, 'package') ?? '';
      return `${this.#imports.get(name) ?? name}.${fieldText(node, 'name') ?? ''}`;
    }
    if (node.type === 'interface_type' && parts(node).length === 0) return 'any';
    if (node.type === 'struct_type' || node.type === 'interface_type' || node.namedChildren.length === 0)
      return oneLine(node.text);
    let [text, at] = ['', node.startIndex];
    for (const child of node.namedChildren) {
      text +=
        node.text.slice(at - node.startIndex, child.startIndex - node.startIndex) + this.#typeText(child, depth + 1);
      at = child.endIndex;
    }
    return oneLine(text + node.text.slice(at - node.startIndex));
  }

  #type(spec: SyntaxNode): GoDeclaration[] {
    const name = fieldText(spec, 'name');
    const type = field(spec, 'type');
    if (name === null || type === null) return [];
    const common = { ...this.#common(spec, name), kind: 'type' as const, typeParameters: this.#typeParameters(spec) };
    if (spec.type === 'type_alias') return [{ ...common, form: 'alias', type: this.#typeText(type) }];
    if (type.type === 'struct_type') return [{ ...common, form: 'struct', fields: this.#fields(type) }];
    if (type.type === 'interface_type') return [{ ...common, form: 'interface', ...this.#elements(type) }];
    return [{ ...common, form: 'other', type: this.#typeText(type) }];
  }

  #fields(type: SyntaxNode): GoField[] {
    const list = partOf(type, 'field_declaration_list');
    return (list === null ? [] : parts(list)).flatMap((node): GoField[] => {
      const own = field(node, 'type');
      if (own === null) return [];
      const names = node.childrenForFieldName('name').map(({ text }) => text);
      const isPointer = node.children[0]?.type === '*';
      const text = `${isPointer ? '*' : ''}${this.#typeText(own)}`;
      const common = { type: text, tag: fieldText(node, 'tag') ?? '', line: lineOf(node) };
      const embedded = text.replace(/^\*/, '').replace(/\[.*$/s, '').split('.').at(-1) ?? text;
      return names.length === 0
        ? [{ ...common, name: embedded, isEmbedded: true }]
        : names.map((name) => ({ ...common, name, isEmbedded: false }));
    });
  }

  #elements(type: SyntaxNode): { readonly methods: readonly GoMethodElement[]; readonly elements: readonly string[] } {
    const methods: GoMethodElement[] = [];
    const elements: string[] = [];
    for (const node of parts(type))
      if (node.type === 'method_elem')
        methods.push({ name: fieldText(node, 'name') ?? '', signature: this.#signature(node), line: lineOf(node) });
      else elements.push(this.#typeText(node));
    return { methods, elements };
  }

  /** "Constant declarations": a line without a value repeats the one before it, with the next number. */
  #constants(node: SyntaxNode): GoValue[] {
    let before: SyntaxNode | null = null;
    return node.descendantsOfType('const_spec').flatMap((spec, index) => {
      if (field(spec, 'value') !== null) before = spec;
      return this.#values(spec, 'constant', { from: before ?? spec, iota: index });
    });
  }

  #values(
    spec: SyntaxNode,
    kind: GoValue['kind'],
    repeated?: { readonly from: SyntaxNode; readonly iota: number },
  ): GoValue[] {
    const source = repeated?.from ?? spec;
    const type = field(spec, 'type') ?? (field(spec, 'value') === null ? field(source, 'type') : null);
    const list = field(source, 'value');
    const values = list === null ? [] : parts(list).map(({ text }) => oneLine(text.slice(0, 400)));
    return spec
      .childrenForFieldName('name')
      .filter(({ type: own }) => own === 'identifier')
      .map((name, index): GoValue => {
        const value = values[index] ?? '';
        return {
          ...this.#common(name, name.text),
          kind,
          type: type === null ? literalType(value) : this.#typeText(type),
          isTyped: type !== null,
          value: repeated === undefined ? value : evaluated(value, repeated.iota),
        };
      });
  }
}

/** The type of a literal, or of what plainly makes a value of a type. */
function literalType(value: string): string | null {
  if (/^-?(?:0[xob])?\d[\d_a-fA-F]*$/.test(value) || /\biota\b/.test(value)) return 'int';
  if (/^-?\d[\d_]*\.\d*(?:e[-+]?\d+)?$/.test(value)) return 'float64';
  if (/^(?:"[^"]*"|`[^`]*`)$/.test(value)) return 'string';
  if (/^(?:true|false)$/.test(value)) return 'bool';
  if (/^(?:errors\.New|fmt\.Errorf)\(/.test(value)) return 'error';
  const made = /^(&?)((?:\w+\.)?[A-Z]\w*)\{/.exec(value);
  return made === null ? null : `${made[1] === '&' ? '*' : ''}${made[2]}`;
}

/** The number of a constant that counts; another one stays as it is written. */
function evaluated(value: string, iota: number): string {
  if (!/\biota\b/.test(value)) return value;
  const plain = /^iota(?:\s*([+*-])\s*(\d+))?$/.exec(value);
  if (plain !== null) {
    const other = Number(plain[2] ?? 0);
    return String(plain[1] === '*' ? iota * other : plain[1] === '-' ? iota - other : iota + other);
  }
  const shifted =
    /^1\s*<<\s*(?:iota|\(\s*iota\s*\))$/.test(value) || /^1\s*<<\s*\(?\s*(\d+)\s*\*\s*iota\s*\)?$/.test(value);
  const factor = Number(/(\d+)\s*\*\s*iota/.exec(value)?.[1] ?? 1);
  return shifted ? String(2 ** (iota * factor)) : `${value}, iota ${iota}`;
}

/** `(int, ...string) error`. */
export function signatureText({ parameters, results }: GoSignature): string {
  const list = results.length === 0 ? '' : results.length === 1 ? ` ${results[0]}` : ` (${results.join(', ')})`;
  return `(${parameters.join(', ')})${list}`;
}
