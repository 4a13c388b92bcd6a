import { field, fieldText, lineOf, oneLine, parts, type SyntaxNode } from '../syntax/parser.ts';
import { canonical, type Declared, declaredBy } from './c-types.ts';

/** A field of a structure. */
export type CField = { readonly name: string; readonly type: string };

/** Something that a header declares. */
export type CDeclaration = { readonly name: string; readonly line: number; readonly isUnsure: boolean } & (
  | { readonly kind: 'function'; readonly result: string; readonly parameters: readonly string[] }
  | { readonly kind: 'variable' | 'type'; readonly type: string }
  /** Fields are null where only the name is declared. */
  | { readonly kind: 'struct' | 'union'; readonly fields: readonly CField[] | null }
  | { readonly kind: 'enum'; readonly constants: readonly string[] }
  /** Value of a constant: a number, or the text of an expression. */
  | { readonly kind: 'constant'; readonly value: string; readonly of: string }
  /** Parameters are null for a macro without brackets. */
  | { readonly kind: 'macro'; readonly parameters: readonly string[] | null; readonly value: string }
);

/** What a header has; `includes` are the headers that it takes in. */
export type CHeader = {
  /** Every word of a header of which parts could not be read; null where all was. */
  readonly words: ReadonlySet<string> | null;
  readonly path: string;
  readonly declarations: ReadonlyMap<string, CDeclaration>;
  readonly includes: readonly string[];
};

/** Declarations of a header (C11, 6.7 and 6.10). @param decorations macros that only decorate declarations. */
export function readHeader(root: SyntaxNode, path: string, decorations: ReadonlySet<string>): CHeader {
  const reader = new HeaderReader(guardOf(root), decorations);
  reader.block(root, false);
  const words = root.hasError ? new Set(root.text.match(/[A-Za-z_]\w*/g)) : null;
  return { path, words, declarations: reader.found, includes: reader.includes };
}

/** The name that keeps a header from being taken in twice. */
function guardOf(root: SyntaxNode): string | null {
  const first = parts(root).find(({ type }) => type === 'preproc_ifdef');
  const name = first === undefined ? null : fieldText(first, 'name');
  const inside = first?.namedChildren.find(({ type }) => type === 'preproc_def');
  return name !== null && inside !== undefined && fieldText(inside, 'name') === name ? name : null;
}

/** Names that belong to the compiler and to the inside of a library (C11, 7.1.3). */
const isPrivate = (name: string) => name.startsWith('_');

/** C names of tags and of types are apart from each other. */
export const keyOf = ({ kind, name }: CDeclaration) =>
  kind === 'struct' || kind === 'union' || kind === 'enum' ? `${kind} ${name}` : name;

class HeaderReader {
  readonly found = new Map<string, CDeclaration>();
  readonly includes: string[] = [];
  readonly #guard: string | null;

  readonly #decorations: ReadonlySet<string>;

  constructor(guard: string | null, decorations: ReadonlySet<string>) {
    [this.#guard, this.#decorations] = [guard, decorations];
  }

  block(node: SyntaxNode, isInBranch: boolean): void {
    for (const child of parts(node)) this.#read(child, isInBranch);
  }

  #read(node: SyntaxNode, isInBranch: boolean): void {
    switch (node.type) {
      case 'preproc_ifdef':
      case 'preproc_if':
      case 'preproc_else':
      case 'preproc_elif':
      case 'preproc_elifdef': {
        const isGuard = fieldText(node, 'name') === this.#guard && this.#guard !== null;
        this.block(node, isInBranch || !isGuard);
        break;
      }
      case 'linkage_specification':
      case 'declaration_list':
        this.block(node, isInBranch);
        break;
      case 'preproc_include':
        this.includes.push((fieldText(node, 'path') ?? '').replace(/^["<]|[">]$/g, ''));
        break;
      case 'preproc_def':
      case 'preproc_function_def':
        this.#macro(node, isInBranch);
        break;
      case 'declaration':
      case 'function_definition':
        this.#declaration(node, isInBranch);
        break;
      case 'type_definition':
        this.#typedef(node, isInBranch);
        break;
      default:
        this.#tag(node, isInBranch, null);
    }
  }

  #add(declaration: CDeclaration, isInBranch: boolean): void {
    if (isPrivate(declaration.name)) return;
    const key = keyOf(declaration);
    const known = this.found.get(key);
    const text = (one: CDeclaration) => JSON.stringify({ ...one, line: 0, isUnsure: false });
    // A structure that is declared first and defined later.
    const isOpaque = 'fields' in declaration && declaration.fields === null;
    if (known !== undefined && isOpaque) return;
    const wasOpaque = known !== undefined && 'fields' in known && known.fields === null;
    const isUnsure =
      isInBranch && known !== undefined && !wasOpaque && (known.isUnsure || text(known) !== text(declaration));
    this.found.set(key, { ...declaration, isUnsure });
  }

  #macro(node: SyntaxNode, isInBranch: boolean): void {
    const name = fieldText(node, 'name') ?? '';
    const value = oneLine((fieldText(node, 'value') ?? '').replace(/\\\s/g, ' '));
    const list = field(node, 'parameters');
    const parameters =
      list === null
        ? null
        : list.text
            .replace(/[()\s]/g, '')
            .split(',')
            .filter((one) => one !== '');
    // A guard, or a switch without a value: it says nothing to users of the header.
    if (name === this.#guard || this.#decorations.has(name) || (value === '' && parameters === null)) return;
    this.#add({ kind: 'macro', name, parameters, value, line: lineOf(node), isUnsure: false }, isInBranch);
  }

  #declaration(node: SyntaxNode, isInBranch: boolean): void {
    const type = field(node, 'type');
    if (type !== null) this.#tag(type, isInBranch, null);
    const base = baseText(node, type);
    const line = lineOf(node);
    for (const declarator of node.childrenForFieldName('declarator')) {
      const inner = declarator.type === 'init_declarator' ? field(declarator, 'declarator') : declarator;
      const declared = inner === null ? null : declaredBy(inner, base);
      if (declared === null) continue;
      this.#add(ofDeclared(declared, line, 'variable'), isInBranch);
    }
  }

  #typedef(node: SyntaxNode, isInBranch: boolean): void {
    const type = field(node, 'type');
    const [first] = node.childrenForFieldName('declarator');
    const name = first?.type === 'type_identifier' ? first.text : null;
    const isAnonymous = type !== null && field(type, 'name') === null && field(type, 'body') !== null;
    if (type !== null) this.#tag(type, isInBranch, isAnonymous ? name : null);
    if (isAnonymous && name !== null) return;
    const base = baseText(node, type);
    for (const declarator of node.childrenForFieldName('declarator')) {
      const declared = declaredBy(declarator, base);
      if (declared === null) continue;
      const { name: own, parameters } = declared;
      const text = parameters === null ? declared.type : `${declared.type}(${parameters.join(',')})`;
      this.#add({ kind: 'type', name: own, type: text, line: lineOf(node), isUnsure: false }, isInBranch);
    }
  }

  /** A structure, union or enumeration; @param given the name of a type that is all that names it. */
  #tag(node: SyntaxNode, isInBranch: boolean, given: string | null): void {
    const kind = /^(struct|union|enum)_specifier$/.exec(node.type)?.[1] as 'struct' | 'union' | 'enum' | undefined;
    if (kind === undefined) return;
    const name = fieldText(node, 'name') ?? given;
    const body = field(node, 'body');
    const line = lineOf(node);
    if (kind === 'enum') {
      if (body !== null) this.#enum(name, body, { line, isInBranch });
      return;
    }
    if (name === null) return;
    this.#add({ kind, name, fields: body === null ? null : fieldsOf(body), line, isUnsure: false }, isInBranch);
  }

  #enum(
    name: string | null,
    body: SyntaxNode,
    { line, isInBranch }: { readonly line: number; readonly isInBranch: boolean },
  ): void {
    let [last, offset] = ['', -1];
    const constants: string[] = [];
    for (const node of parts(body).filter(({ type }) => type === 'enumerator')) {
      const text = fieldText(node, 'value');
      const number = text === null ? null : numberOf(text);
      if (text !== null && number === null) [last, offset] = [text, 0];
      else if (number !== null) [last, offset] = ['', number];
      else offset++;
      const value = last === '' ? String(offset) : offset === 0 ? last : `${last} + ${offset}`;
      const own = fieldText(node, 'name') ?? '';
      constants.push(own);
      this.#add(
        { kind: 'constant', name: own, value, of: name ?? '', line: lineOf(node), isUnsure: false },
        isInBranch,
      );
    }
    if (name !== null) this.#add({ kind: 'enum', name, constants, line, isUnsure: false }, isInBranch);
  }
}

function ofDeclared({ name, type, parameters }: Declared, line: number, kind: 'variable' | 'type'): CDeclaration {
  return parameters === null
    ? { kind, name, type, line, isUnsure: false }
    : { kind: 'function', name, result: type, parameters, line, isUnsure: false };
}

function numberOf(text: string): number | null {
  const plain = text.replace(/^\((.*)\)$/, '$1').replace(/[uUlL]+$/, '');
  if (/^-?\d+$/.test(plain) && !/^0\d/.test(plain)) return Number(plain);
  const shift = /^1\s*<<\s*(\d+)$/.exec(plain.replace(/[uUlL]+(?=\s*<<)/, ''));
  if (shift !== null) return 2 ** Number(shift[1]);
  return /^0[xX][0-9a-fA-F]+$/.test(plain) ? Number(plain) : null;
}

/** The specifiers of a declaration; of a structure, its name. */
function baseText(node: SyntaxNode, type: SyntaxNode | null): string {
  const words = node.namedChildren
    .filter(({ type: kind }) => kind === 'type_qualifier' || kind === 'storage_class_specifier')
    .map(({ text }) => text);
  return [...words, type === null ? '' : typeName(type)].join(' ');
}

function typeName(type: SyntaxNode): string {
  const kind = /^(struct|union|enum)_specifier$/.exec(type.type)?.[1];
  return kind === undefined ? type.text : `${kind} ${fieldText(type, 'name') ?? oneLine(type.text)}`;
}

function fieldsOf(body: SyntaxNode): CField[] {
  return parts(body).flatMap((node): CField[] => {
    if (node.type !== 'field_declaration')
      return /^preproc/.test(node.type) ? [{ name: '', type: oneLine(node.text) }] : [];
    const type = field(node, 'type');
    const base = baseText(node, type);
    const bits = node.namedChildren.find((child) => child.type === 'bitfield_clause');
    const declarators = node.childrenForFieldName('declarator');
    if (declarators.length === 0) return [{ name: '', type: oneLine(node.text) }];
    return declarators.flatMap((declarator): CField[] => {
      const declared = declaredBy(declarator, base);
      if (declared === null) return [];
      const list = declared.parameters === null ? '' : `(${declared.parameters.join(',')})`;
      return [
        {
          name: declared.name,
          type: `${canonical(declared.type)}${list}${bits === undefined ? '' : ` ${oneLine(bits.text)}`}`,
        },
      ];
    });
  });
}
