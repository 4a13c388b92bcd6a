import type { GoDeclaration, GoFile, GoFunction, GoMethodElement, GoType } from './definitions.ts';

/** A name of a package with all its declarations: one for each condition under which it differs. */
export type GoName = { readonly declaration: GoDeclaration; readonly isUnsure: boolean };

/** A package of a module. */
export type GoPackage = {
  readonly path: string;
  readonly name: string;
  readonly names: ReadonlyMap<string, GoName>;
  /** Methods by the type that they belong to. */
  readonly methods: ReadonlyMap<string, ReadonlyMap<string, GoName>>;
};

/** A method or field that users reach through a type. */
export type GoMember =
  | { readonly type: 'method'; readonly method: GoFunction }
  | { readonly type: 'field'; readonly text: string; readonly tag: string };

const maxDepth = 16;

/** Files of one folder as a package; those for tests and for nothing are left out. */
export function packageOf(path: string, files: readonly GoFile[]): GoPackage | null {
  const wanted = files.filter(
    ({ condition, package: name }) => !/(?:^|\W)ignore(?:$|\W)/.test(condition) && name !== 'documentation',
  );
  const [first] = wanted;
  if (first === undefined) return null;
  const names = new Map<string, GoName>();
  const methods = new Map<string, Map<string, GoName>>();
  for (const declaration of wanted.flatMap(({ declarations }) => declarations)) {
    if (declaration.kind === 'function' && declaration.receiver !== null) {
      const list = methods.get(declaration.receiver.type) ?? new Map<string, GoName>();
      add(list, declaration);
      methods.set(declaration.receiver.type, list);
    } else add(names, declaration);
  }
  return { path, name: first.package, names, methods };
}

function add(list: Map<string, GoName>, declaration: GoDeclaration): void {
  const known = list.get(declaration.name);
  const text = (one: GoDeclaration) => JSON.stringify({ ...one, file: '', line: 0, condition: '' });
  if (known === undefined) list.set(declaration.name, { declaration, isUnsure: false });
  else
    list.set(declaration.name, { ...known, isUnsure: known.isUnsure || text(known.declaration) !== text(declaration) });
}

/** "Exported identifiers". */
export function isExported(name: string): boolean {
  return /^\p{Lu}/u.test(name);
}

/** What embedded types of this package add to a structure ("Struct types": promoted); `foreign` are those that are not inside. */
export function promoted(
  pkg: GoPackage,
  type: GoType,
  depth = 0,
): { readonly members: ReadonlyMap<string, GoMember>; readonly foreign: readonly string[] } {
  const members = new Map<string, GoMember>();
  const foreign: string[] = [];
  if (type.form !== 'struct' || depth > maxDepth) return { members, foreign };
  for (const { type: text, isEmbedded } of type.fields) {
    if (!isEmbedded) continue;
    const name = text.replace(/^\*/, '').replace(/\[.*$/s, '');
    const found = pkg.names.get(name)?.declaration;
    if (found?.kind !== 'type') {
      foreign.push(name);
      continue;
    }
    const own = membersOf(pkg, found, depth + 1);
    foreign.push(...own.foreign);
    for (const [member, what] of own.members) if (!members.has(member)) members.set(member, what);
  }
  return { members, foreign };
}

function membersOf(pkg: GoPackage, type: GoType, depth: number): ReturnType<typeof promoted> {
  const inner = promoted(pkg, type, depth);
  const members = new Map<string, GoMember>(inner.members);
  if (type.form === 'struct')
    for (const { name, type: text, tag } of type.fields) members.set(name, { type: 'field', text, tag });
  for (const [name, { declaration }] of pkg.methods.get(type.name) ?? [])
    if (declaration.kind === 'function') members.set(name, { type: 'method', method: declaration });
  if (type.form === 'interface')
    for (const { name, signature, line } of allMethods(pkg, type).methods)
      members.set(name, { type: 'method', method: methodOf(type, { name, signature, line }) });
  return { members, foreign: inner.foreign };
}

function methodOf(type: GoType, { name, signature, line }: GoMethodElement): GoFunction {
  const { file, condition } = type;
  return {
    kind: 'function',
    name,
    file,
    line,
    condition,
    receiver: { type: type.name, isPointer: false },
    typeParameters: [],
    signature,
  };
}

/** Methods of an interface with those of interfaces that it embeds. */
export function allMethods(
  pkg: GoPackage,
  type: GoType,
  depth = 0,
): { readonly methods: readonly GoMethodElement[]; readonly elements: readonly string[] } {
  if (type.form !== 'interface' || depth > maxDepth) return { methods: [], elements: [] };
  const methods = new Map(type.methods.map((method) => [method.name, method]));
  const elements: string[] = [];
  for (const element of type.elements) {
    const found = pkg.names.get(element)?.declaration;
    if (found?.kind !== 'type' || found.form !== 'interface') {
      elements.push(element);
      continue;
    }
    const inner = allMethods(pkg, found, depth + 1);
    for (const method of inner.methods) methods.set(method.name, method);
    elements.push(...inner.elements);
  }
  return { methods: [...methods.values()], elements: elements.sort() };
}
