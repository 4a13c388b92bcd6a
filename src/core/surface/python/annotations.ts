/** How a type of another side relates: `unknown` where the names alone do not tell. */
export type Relation = 'same' | 'wider' | 'narrower' | 'other' | 'unknown';

// PEP 484 "The numeric tower", and the abstract classes of collections.abc with what is registered as one.
const wider: Readonly<Record<string, readonly string[]>> = {
  bool: ['int'],
  int: ['float', 'complex'],
  float: ['complex'],
  list: ['MutableSequence', 'Sequence', 'Collection', 'Reversible', 'Iterable', 'Container'],
  tuple: ['Sequence', 'Collection', 'Reversible', 'Iterable', 'Container'],
  str: ['Sequence', 'Collection', 'Iterable', 'Container'],
  bytes: ['Sequence', 'Collection', 'Iterable', 'Container'],
  set: ['MutableSet', 'Set', 'Collection', 'Iterable', 'Container'],
  frozenset: ['Set', 'Collection', 'Iterable', 'Container'],
  dict: ['MutableMapping', 'Mapping', 'Collection', 'Iterable', 'Container'],
  MutableSequence: ['Sequence', 'Collection', 'Reversible', 'Iterable', 'Container'],
  Sequence: ['Collection', 'Reversible', 'Iterable', 'Container'],
  MutableMapping: ['Mapping', 'Collection', 'Iterable', 'Container'],
  Mapping: ['Collection', 'Iterable', 'Container'],
  Collection: ['Iterable', 'Container'],
  Generator: ['Iterator', 'Iterable'],
  Iterator: ['Iterable'],
};

const plainTypes = new Set([
  'bool',
  'int',
  'float',
  'complex',
  'str',
  'bytes',
  'list',
  'tuple',
  'set',
  'frozenset',
  'dict',
  'None',
  'bytearray',
]);

/** Relation of a new annotation to an old one, by their parts: `int` to `int | None` is wider. */
export function relate(old: string, now: string): Relation {
  const [before, after] = [membersOf(old), membersOf(now)];
  if (before === null || after === null) return normal(old) === normal(now) ? 'same' : 'unknown';
  const isWide = (members: readonly string[]) => members.some((member) => member === 'Any' || member === 'object');
  if (isWide(before) || isWide(after))
    return isWide(before) && isWide(after) ? 'same' : isWide(after) ? 'wider' : 'narrower';
  const takes = (members: readonly string[], member: string) => members.some((one) => isWithin(member, one));
  const [forward, back] = [
    before.every((member) => takes(after, member)),
    after.every((member) => takes(before, member)),
  ];
  if (forward && back) return 'same';
  if (forward) return 'wider';
  if (back) return 'narrower';
  // Names of the package or of others may be aliases of anything.
  const open = [...before, ...after].filter((member) => !(takes(before, member) && takes(after, member)));
  return open.every((member) => plainTypes.has(headOf(member))) ? 'other' : 'unknown';
}

function isWithin(narrow: string, wide: string): boolean {
  if (narrow === wide) return true;
  const [head, other] = [headOf(narrow), headOf(wide)];
  const [inner, around] = [argumentsOf(narrow), argumentsOf(wide)];
  if (head !== other && wider[head]?.includes(other) !== true) return false;
  // Without arguments it holds anything; with equal ones, the heads decide.
  return around === '' || inner === around;
}

/** Members of a union, without the modules in front of names; null for a text that is no plain annotation. */
function membersOf(text: string): string[] | null {
  const plain = normal(text);
  if (!/^[\w.[\], |"'()-]*$/.test(plain)) return null;
  const optional = /^Optional\[(.*)\]$/s.exec(plain)?.[1];
  if (optional !== undefined && isBalanced(optional)) return [...(membersOf(optional) ?? [optional]), 'None'];
  const union = /^Union\[(.*)\]$/s.exec(plain)?.[1];
  if (union !== undefined && isBalanced(union))
    return split(union, ',').flatMap((member) => membersOf(member) ?? [member]);
  const literal = /^Literal\[(.*)\]$/s.exec(plain)?.[1];
  if (literal !== undefined && isBalanced(literal)) return split(literal, ',').map((value) => `Literal[${value}]`);
  const members = split(plain, '|');
  return members.length === 1 ? members : members.flatMap((member) => membersOf(member) ?? [member]);
}

const aliases: Readonly<Record<string, string>> = {
  List: 'list',
  Dict: 'dict',
  Tuple: 'tuple',
  Set: 'set',
  FrozenSet: 'frozenset',
  Text: 'str',
  Type: 'type',
  AbstractSet: 'Set',
};

/** One spelling: no quotes around, no modules before names, built-in names for those of `typing`. */
function normal(text: string): string {
  return text
    .trim()
    .replace(/^(["'])(.*)\1$/s, '$2')
    .replace(/\b(?:typing|typing_extensions|t|collections\.abc|builtins)\./g, '')
    .replace(/\b(List|Dict|Tuple|FrozenSet|Text|Type|AbstractSet)\b/g, (name) => aliases[name] ?? name)
    .replace(/\s*([[\],|])\s*/g, '$1');
}

const headOf = (text: string) => (/^Literal\[/.test(text) ? text : (/^[\w.]+/.exec(text)?.[0] ?? text));
const argumentsOf = (text: string) => (/^Literal\[/.test(text) ? '' : text.slice(headOf(text).length));

function isBalanced(text: string): boolean {
  let depth = 0;
  for (const sign of text) {
    if (sign === '[') depth++;
    if (sign === ']' && --depth < 0) return false;
  }
  return depth === 0;
}

/** Parts between separators that are not inside brackets. */
function split(text: string, separator: string): string[] {
  const found: string[] = [];
  let [depth, from] = [0, 0];
  for (let at = 0; at < text.length; at++) {
    const sign = text.charAt(at);
    if ('[('.includes(sign)) depth++;
    if ('])'.includes(sign)) depth--;
    if (depth !== 0 || sign !== separator) continue;
    found.push(text.slice(from, at));
    from = at + 1;
  }
  return [...found, text.slice(from)].map((part) => part.trim()).filter((part) => part !== '');
}
