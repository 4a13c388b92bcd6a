import { field, oneLine, type SyntaxNode } from '../syntax/parser.ts';

/** A declared name, and its type as text without the name. */
export type Declared = {
  readonly name: string;
  readonly type: string;
  /** Types of the parameters; null for something that is no function. */
  readonly parameters: readonly string[] | null;
};

/** What each declarator of a declaration declares. @param base the specifiers before it. */
export function declaredBy(declarator: SyntaxNode, base: string): Declared | null {
  const name = nameOf(declarator);
  if (name === null) return null;
  const direct = functionAround(name, declarator);
  const whole = `${base} ${without(declarator, direct ?? name)}`;
  if (direct === null) return { name: name.text, type: canonical(whole), parameters: null };
  const list = field(direct, 'parameters');
  const parameters = (list?.namedChildren ?? []).flatMap((child) =>
    child.type === 'parameter_declaration'
      ? [parameterType(child)]
      : child.type === 'variadic_parameter'
        ? ['...']
        : [],
  );
  return {
    name: name.text,
    type: canonical(whole),
    parameters: parameters.length === 1 && parameters[0] === 'void' ? [] : parameters,
  };
}

const nameTypes = ['identifier', 'type_identifier', 'field_identifier', 'primitive_type'];

/** The identifier inside of a declarator. */
function nameOf(declarator: SyntaxNode): SyntaxNode | null {
  let node: SyntaxNode | null = declarator;
  for (let steps = 0; node !== null && steps < 64; steps++) {
    if (nameTypes.includes(node.type)) return node;
    node =
      field(node, 'declarator') ?? node.namedChildren.find(({ type }) => /declarator$|identifier$/.test(type)) ?? null;
  }
  return null;
}

/** The function declarator directly around a name; null for a variable, or for a pointer to a function. */
function functionAround(name: SyntaxNode, top: SyntaxNode): SyntaxNode | null {
  const above = name.parent;
  if (above === null || above.type !== 'function_declarator' || above.startIndex < top.startIndex) return null;
  return above;
}

/** Text of a node with one of its parts left out. */
function without(node: SyntaxNode, part: SyntaxNode): string {
  const [from, to] = [part.startIndex - node.startIndex, part.endIndex - node.startIndex];
  return `${node.text.slice(0, from)}${node.text.slice(to)}`;
}

function parameterType(node: SyntaxNode): string {
  const declarator = field(node, 'declarator');
  const name = declarator === null ? null : nameOf(declarator);
  const text = canonical(name === null ? node.text : without(node, name));
  // An array is passed as a pointer, and a constant that is passed by value is a matter of the function (C11 6.7.6.3).
  const pointer = text.replace(/\[[^\]]*\]/, '*');
  return pointer.includes('*') || pointer.includes('(') ? pointer : pointer.replace(/\bconst /g, '');
}

const dropped = /\b(?:extern|static|inline|register|__inline__|__inline|restrict|auto)\b/g;

/** One spelling of a type: `char const*` and `const char *` are the same, and `unsigned` is `unsigned int`. */
export function canonical(text: string): string {
  const plain = oneLine(text.replace(dropped, ' '));
  const [, base = plain, rest = ''] = /^([^*([]*)([\s\S]*)$/.exec(plain) ?? [];
  const words = base.split(' ').filter((word) => word !== '');
  const qualifiers = ['const', 'volatile'].filter((word) => words.includes(word));
  const named = numberType(words.filter((word) => word !== 'const' && word !== 'volatile'));
  const tail = rest
    .replace(/\s*\*\s*/g, '*')
    .replace(/\s*([(),[\]])\s*/g, '$1')
    .trim();
  return [...qualifiers, ...named, tail].filter((part) => part !== '').join(' ');
}

/** C11, 6.7.2: which words name the same type. */
function numberType(words: readonly string[]): readonly string[] {
  const has = (word: string) => words.includes(word);
  if (!['long', 'short', 'signed', 'unsigned'].some(has)) return words;
  if (has('char')) return has('unsigned') ? ['unsigned', 'char'] : ['signed', 'char'];
  const longs = words.filter((word) => word === 'long');
  if (has('double')) return [...longs, 'double'];
  const sign = has('unsigned') ? ['unsigned'] : [];
  if (has('short')) return [...sign, 'short'];
  return longs.length > 0 ? [...sign, ...longs] : [...sign, 'int'];
}

/** How a type of another side relates to an old one, for what callers pass. */
export type TypeChange = 'same' | 'more const' | 'less const' | 'other' | 'unknown';

const known = /^(?:const|volatile|void|char|short|int|long|float|double|signed|unsigned|_Bool|struct|union|enum)$/;

/** @param isOwn whether a name is one of the headers compared. */
export function relateTypes(old: string, now: string, isOwn: (name: string) => boolean): TypeChange {
  if (old === now) return 'same';
  const bare = (text: string) => oneLine(text.replace(/\bconst\b/g, ' ')).replace(/\s*\*\s*/g, '*');
  if (bare(old) === bare(now)) {
    const count = (text: string) => text.match(/\bconst\b/g)?.length ?? 0;
    return count(now) > count(old) ? 'more const' : 'less const';
  }
  const words = (text: string): readonly string[] => text.match(/[A-Za-z_]\w*/g) ?? [];
  const [before, after] = [words(old), words(now)];
  const differing = [
    ...before.filter((word) => !after.includes(word)),
    ...after.filter((word) => !before.includes(word)),
  ];
  // Names of other headers may stand for anything.
  return differing.every((word) => known.test(word) || isOwn(word)) ? 'other' : 'unknown';
}
