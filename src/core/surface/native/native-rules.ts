import { addition, breaking, compatible, type Item, type ItemRules, unknown, type Verdict } from '../items.ts';
import { relateTypes } from './c-types.ts';
import type { NativeDetail, NativeLibrary } from './list-items.ts';
import { type CDeclaration, type CField, type CHeader, keyOf } from './read-header.ts';

/** One side: what was read of it. */
export type NativeSide = {
  readonly libraries: readonly NativeLibrary[];
  /** By the path that users write in `#include`. */
  readonly headers: ReadonlyMap<string, CHeader>;
};

/** How differences of libraries and headers are judged: one for linked programs, one for sources. */
export function nativeRules(old: NativeSide, now: NativeSide): ItemRules<NativeDetail> {
  const sonames = new Map(now.libraries.map(({ entry, elf }) => [entry, elf.soname]));
  const renamed = new Set(
    old.libraries.filter(({ entry, elf }) => sonames.get(entry) !== elf.soname).map(({ entry }) => entry),
  );
  // Structures are laid out for the library that comes with the headers.
  const layout: Layout = renamed.size > 0 ? 'new soname' : old.libraries.length === 0 ? 'no library' : 'same soname';
  const own = new Set(
    [...old.headers.values(), ...now.headers.values()].flatMap(({ declarations }) =>
      [...declarations.values()].map(({ name }) => name),
    ),
  );
  return {
    removed: ({ detail, entry }) => {
      if (detail.type === 'file') return [breaking('it was removed')];
      if (detail.type === 'symbol') return [removedSymbol(detail, renamed.has(entry))];
      return removedDeclaration(detail.declaration, entry, now);
    },
    added: ({ detail, entry }) => {
      if (detail.type === 'declaration' && old.headers.get(entry)?.words?.has(detail.declaration.name) === true)
        return [unknown('it may have been there: parts of the header could not be read')];
      const isConstant = detail.type === 'declaration' && detail.declaration.kind === 'constant';
      return [addition(isConstant ? 'a new constant' : 'new')];
    },
    changed: (before, after) => changed(before, after, { renamed, layout, isOwn: (name) => own.has(name) }),
  };
}

type Layout = 'new soname' | 'no library' | 'same soname';
type Scope = {
  readonly renamed: ReadonlySet<string>;
  readonly layout: Layout;
  readonly isOwn: (name: string) => boolean;
};

function removedSymbol({ symbol }: NativeDetail & { readonly type: 'symbol' }, isRenamed: boolean): Verdict {
  if (isRenamed) return compatible('programs that need it keep the library with the old soname');
  if (symbol.isWeak && symbol.name.startsWith('_Z'))
    return unknown('C++ compilers put such symbols into programs, too');
  return breaking('linked programs no longer find it, and the soname is the same');
}

/** A declaration may be in another header that this one takes in. */
function removedDeclaration(declaration: CDeclaration, entry: string, now: NativeSide): Verdict[] {
  const key = keyOf(declaration);
  const found = [...now.headers].find(([, header]) => header.declarations.has(key))?.[0];
  if (found !== undefined)
    return reaches(entry, found, now) ? [] : [breaking(`it is in ${found} now, which this header does not take in`)];
  if (now.headers.get(entry)?.words?.has(declaration.name) === true)
    return [unknown('it may still be there: parts of the header could not be read')];
  const visible = declaration.kind === 'macro' || declaration.kind === 'function' ? others(declaration, now) : null;
  return [visible ?? breaking('sources that use it no longer compile')];
}

/** A function that became a macro, or the other way round, can still be called. */
function others({ name, kind }: CDeclaration, now: NativeSide): Verdict | null {
  const same = [...now.headers.values()]
    .map(({ declarations }) => declarations.get(name))
    .find((one) => one !== undefined);
  return same === undefined || same.kind === kind ? null : unknown(`it is a ${same.kind} now`);
}

function reaches(from: string, to: string, { headers }: NativeSide): boolean {
  const seen = new Set<string>();
  const open = [from];
  for (let next = open.pop(); next !== undefined; next = open.pop()) {
    if (next === to) return true;
    if (seen.has(next)) continue;
    seen.add(next);
    const folder = next.slice(0, next.lastIndexOf('/') + 1);
    for (const include of headers.get(next)?.includes ?? [])
      open.push(...[include, folder + include].filter((path) => headers.has(path)));
  }
  return false;
}

function changed(before: Item<NativeDetail>, after: Item<NativeDetail>, scope: Scope): Verdict[] {
  const [from, to] = [before.detail, after.detail];
  if (from.type === 'symbol' && to.type === 'symbol') {
    if (scope.renamed.has(before.entry)) return [];
    if (from.symbol.kind !== to.symbol.kind) return [breaking(`it is no longer of the kind ${from.symbol.kind}`)];
    const isMoved = from.symbol.kind !== 'function' && from.symbol.sizeBytes !== to.symbol.sizeBytes;
    return isMoved ? [breaking('another size: linked programs have room for the old one')] : [];
  }
  if (from.type !== 'declaration' || to.type !== 'declaration') return [];
  const verdicts = compareDeclarations(from.declaration, to.declaration, scope);
  const isUnsure = from.declaration.isUnsure || to.declaration.isUnsure;
  return isUnsure && verdicts.length > 0 ? [unknown('several branches declare it in different ways')] : verdicts;
}

function compareDeclarations(old: CDeclaration, now: CDeclaration, scope: Scope): Verdict[] {
  if (old.kind === 'function' && now.kind === 'function') return compareFunctions(old, now, scope);
  if ((old.kind === 'struct' || old.kind === 'union') && old.kind === now.kind)
    return compareLayouts(old.fields, now.fields, scope);
  if (old.kind === 'constant' && now.kind === 'constant')
    return old.value === now.value
      ? []
      : [breaking(`its value was ${old.value} and is ${now.value}: compiled programs have the old one`)];
  if (old.kind === 'macro' && now.kind === 'macro') return compareMacros(old, now);
  if ((old.kind === 'variable' || old.kind === 'type') && old.kind === now.kind) {
    const change = relateTypes(old.type, now.type, scope.isOwn);
    if (change === 'same') return [];
    return [change === 'unknown' ? unknown('another type') : breaking(`its type was ${old.type} and is ${now.type}`)];
  }
  return old.kind === now.kind ? [] : [unknown(`it was a ${old.kind} and is a ${now.kind}`)];
}

type CFunction = CDeclaration & { readonly kind: 'function' };

function compareFunctions(old: CFunction, now: CFunction, { isOwn }: Scope): Verdict[] {
  const found: Verdict[] = [];
  const result = relateTypes(old.result, now.result, isOwn);
  if (result === 'unknown') found.push(unknown(`its result was ${old.result} and is ${now.result}`));
  else if (result === 'less const') found.push(compatible('the result can be changed'));
  else if (result !== 'same') found.push(breaking(`its result was ${old.result} and is ${now.result}`));
  if (old.parameters.length !== now.parameters.length) {
    const isOpen = now.parameters.length === old.parameters.length + 1 && now.parameters.at(-1) === '...';
    return [
      ...found,
      breaking(
        isOpen
          ? 'it takes more arguments now: compiled programs call it in another way'
          : 'it has another number of parameters',
      ),
    ];
  }
  for (const [index, parameter] of old.parameters.entries()) {
    const other = now.parameters[index] ?? parameter;
    const change = relateTypes(parameter, other, isOwn);
    if (change === 'more const') found.push(compatible(`it leaves ${parameter} as it is`));
    else if (change === 'unknown') found.push(unknown(`it takes ${other} in place of ${parameter}`));
    else if (change !== 'same') found.push(breaking(`it takes ${other} in place of ${parameter}`));
  }
  return found;
}

function compareLayouts(old: readonly CField[] | null, now: readonly CField[] | null, { layout }: Scope): Verdict[] {
  if (old === null || now === null)
    return old === now
      ? []
      : [old === null ? addition('its fields can be seen') : breaking('its fields can no longer be seen')];
  const text = (fields: readonly CField[]) => fields.map(({ name, type }) => `${type} ${name}`);
  const [before, after] = [text(old), text(now)];
  if (before.join(';') === after.join(';')) return [];
  const isLonger = before.every((one, index) => after[index] === one);
  const gone = old.filter(({ name, type }) => !now.some((one) => one.name === name && one.type === type));
  const isSpare = (name: string) => /^_|reserved|padding|spare|unused/i.test(name);
  if (gone.length > 0 && !gone.every(({ name }) => isSpare(name)))
    return [
      breaking(
        `${gone.map(({ name }) => name).join(', ')}: sources that use ${gone.length === 1 ? 'it' : 'them'} no longer compile`,
      ),
    ];
  if (layout === 'new soname') return [compatible('another layout, and a new soname: programs are compiled again')];
  if (gone.length > 0) return [unknown('spare fields were used: the size may have stayed')];
  if (layout === 'no library' && isLonger) return [addition('more fields at its end')];
  return [
    breaking(
      layout === 'no library'
        ? 'its fields are in another order'
        : 'another layout, and the soname is the same: compiled programs have the old one',
    ),
  ];
}

type CMacro = CDeclaration & { readonly kind: 'macro' };

function compareMacros(old: CMacro, now: CMacro): Verdict[] {
  const [before, after] = [old.parameters, now.parameters];
  if ((before === null) !== (after === null))
    return [breaking(after === null ? 'it has no parameters any more' : 'it has parameters now')];
  if (before !== null && after !== null && before.length !== after.length)
    return [breaking('it has another number of parameters')];
  if (old.value === now.value || /VERSION|REVISION|RELEASE/i.test(old.name)) return [];
  return [unknown('it stands for something else; compiled programs have the old one')];
}
