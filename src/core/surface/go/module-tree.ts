import type { GoDeclaration, GoField, GoFile, GoFunction, GoMethodElement, GoType } from './definitions.ts';

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
  | { readonly type: 'field'; readonly field: GoField; readonly file: string };

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

/** What a structure has from embedded types; `foreign` are those that are not inside. */
export type Promoted = { readonly members: ReadonlyMap<string, GoMember>; readonly foreign: readonly string[] };

/**
 * What embedded types of this package add to a structure ("Struct types": promoted).
 * @param seen types that were visited before: each adds its members once.
 */
export function promoted(pkg: GoPackage, type: GoType, seen = new Set<GoType>([type])): Promoted {
  return promotedBy(pkg, type.form === 'struct' ? type.fields.filter(({ isEmbedded }) => isEmbedded) : [], seen);
}

/** The same from embedded types that users cannot name: of those, nothing else is shown. */
export function promotedByHidden(pkg: GoPackage, type: GoType): Promoted {
  const fields = type.form === 'struct' ? type.fields : [];
  const hidden = fields.filter(({ isEmbedded, name }) => isEmbedded && !isExported(name));
  return promotedBy(pkg, hidden, new Set([type]));
}

function promotedBy(pkg: GoPackage, fields: readonly GoField[], seen: Set<GoType>): Promoted {
  const members = new Map<string, GoMember>();
  const foreign: string[] = [];
  for (const { type: text } of fields) {
    const name = text.replace(/^\*/, '').replace(/\[.*$/s, '');
    const found = pkg.names.get(name)?.declaration;
    if (found?.kind !== 'type') {
      foreign.push(name);
      continue;
    }
    if (seen.has(found)) continue;
    seen.add(found);
    const own = membersOf(pkg, found, seen);
    foreign.push(...own.foreign);
    for (const [member, what] of own.members) if (!members.has(member)) members.set(member, what);
  }
  return { members, foreign };
}

function membersOf(pkg: GoPackage, type: GoType, seen: Set<GoType>): Promoted {
  const inner = promoted(pkg, type, seen);
  const members = new Map<string, GoMember>(inner.members);
  if (type.form === 'struct')
    for (const field of type.fields) members.set(field.name, { type: 'field', field, file: type.file });
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

/** Methods of an interface with those of interfaces that it embeds. @param seen interfaces that were visited before. */
export function allMethods(
  pkg: GoPackage,
  type: GoType,
  seen = new Set<GoType>(),
): { readonly methods: readonly GoMethodElement[]; readonly elements: readonly string[] } {
  if (type.form !== 'interface' || seen.has(type)) return { methods: [], elements: [] };
  seen.add(type);
  const methods = new Map(type.methods.map((method) => [method.name, method]));
  const elements: string[] = [];
  for (const element of type.elements) {
    const found = pkg.names.get(element)?.declaration;
    if (found?.kind !== 'type' || found.form !== 'interface') {
      elements.push(element);
      continue;
    }
    const inner = allMethods(pkg, found, seen);
    for (const method of inner.methods) methods.set(method.name, method);
    elements.push(...inner.elements);
  }
  return { methods: [...methods.values()], elements: elements.sort() };
}
