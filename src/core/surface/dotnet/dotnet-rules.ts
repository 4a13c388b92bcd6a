import { addition, breaking, compatible, type Item, type ItemRules, unknown, type Verdict } from '../items.ts';
import { type DotnetDetail, isExtendable, memberKey } from './list-items.ts';
import type { DotnetMember, DotnetParameter, DotnetType, DotnetTypeParameter } from './read-assembly.ts';
import { shortName } from './signatures.ts';

/** Types of one side by full name, and those that it passes on from other assemblies. */
export type DotnetLibrary = {
  readonly types: ReadonlyMap<string, DotnetType>;
  readonly forwarded: ReadonlySet<string>;
  /** Namespaces of its own. */
  readonly spaces: ReadonlySet<string>;
};

/** Libraries of both sides, by the entry of an item. */
export type Libraries = (entry: string) => readonly [DotnetLibrary, DotnetLibrary];

/** How differences of assemblies are judged, for compiled programs and for sources. */
export function dotnetRules(libraries: Libraries): ItemRules<DotnetDetail> {
  return {
    removed: (item) => removed(item, libraries(item.entry)[1]),
    added: (item) => added(item, libraries(item.entry)[0]),
    changed: ({ detail: from, entry }, { detail: to }) =>
      from.member === null || to.member === null
        ? compareTypes(from.type, to.type, libraries(entry))
        : compareMembers(from.member, to.member, to.type),
  };
}

function removed({ detail: { type, member } }: Item<DotnetDetail>, now: DotnetLibrary): Verdict[] {
  if (member === null) return now.forwarded.has(type.name) ? [] : [breaking('it was removed, or is no longer public')];
  const same = now.types.get(type.name);
  if (same === undefined) return [breaking('it was removed')];
  const { found, foreign } = inherited(same, member, now);
  if (found !== null) return [];
  const again = same.members.find(
    (other) => other.kind === member.kind && other.name === member.name && member.kind !== 'field',
  );
  if (foreign !== null && !plainBases.test(foreign))
    return [unknown(`it may come from ${shortName(foreign)}, which is not inside`)];
  if (foreign !== null && /^(?:ToString|Equals|GetHashCode|GetType)$/.test(member.name)) return [];
  return [
    breaking(
      again === undefined
        ? 'it was removed: programs no longer find it'
        : 'it takes other parameters: programs no longer find it',
    ),
  ];
}

const plainBases = /^System\.(?:Object|Enum|ValueType|MulticastDelegate)$/;

/** A member of the bases that are inside; `foreign` is the first base that is not. */
function inherited(
  type: DotnetType,
  wanted: DotnetMember,
  { types }: DotnetLibrary,
): { readonly found: DotnetMember | null; readonly foreign: string | null } {
  let next: string | null = wanted.kind === 'constructor' ? null : type.base;
  for (let steps = 0; next !== null && steps < 64; steps++) {
    const base: DotnetType | undefined = types.get(next);
    if (base === undefined) return { found: null, foreign: next };
    const found = base.members.find((member) => member.kind === wanted.kind && memberKey(member) === memberKey(wanted));
    if (found !== undefined) return { found, foreign: null };
    next = base.base;
  }
  return { found: null, foreign: null };
}

function added({ detail: { type, member } }: Item<DotnetDetail>, old: DotnetLibrary): Verdict[] {
  if (member === null) return [addition('new')];
  const before = old.types.get(type.name);
  if (before !== undefined && inherited(before, member, old).found !== null && !member.isAbstract) return [];
  if (member.isAbstract && (before === undefined || isExtendable(before)))
    return [breaking(`types of users ${type.kind === 'interface' ? 'that implement it' : 'below it'} must have it`)];
  if (member.isRequired) return [breaking('users must set it where they make an object')];
  return [addition('new')];
}

function compareTypes(
  old: DotnetType,
  now: DotnetType,
  [before, after]: readonly [DotnetLibrary, DotnetLibrary],
): Verdict[] {
  if (old.kind !== now.kind) return [breaking(`it was a ${old.kind} and is a ${now.kind}`)];
  const found: Verdict[] = [];
  if (old.assembly !== now.assembly && !after.forwarded.has(old.name))
    found.push(breaking(`it is in the assembly ${now.assembly} now: programs look for it in ${old.assembly}`));
  if (old.access === 'public' && now.access === 'protected') found.push(breaking('it is protected now'));
  if (old.kind === 'class') {
    const isStatic = (type: DotnetType) => type.isAbstract && type.isSealed;
    if (isStatic(now) && !isStatic(old)) found.push(breaking('it is static now: objects of it can no longer be made'));
    else if (now.isAbstract && !old.isAbstract)
      found.push(breaking('it is abstract now: objects of it can no longer be made'));
    if (old.isAbstract && !now.isAbstract) found.push(compatible('it is no longer abstract'));
    if (isExtendable(old) && !isExtendable(now)) found.push(breaking('users can no longer derive classes from it'));
    if (!isExtendable(old) && isExtendable(now) && !isStatic(old))
      found.push(addition('users can derive classes from it'));
  }
  const [above, below] = [basesOf(old, before), basesOf(now, after)];
  const lost = [...above.names].filter((name) => !below.names.has(name));
  const gained = [...below.names].filter((name) => !above.names.has(name));
  for (const name of lost)
    found.push(
      below.foreign
        ? unknown(`it no longer names ${shortName(name)}; a base that is not inside may be one`)
        : breaking(`it is no longer a ${shortName(name)}`),
    );
  if (gained.length > 0) {
    const isDemanding = old.kind === 'interface';
    found.push((isDemanding ? breaking : addition)(`it is also a ${gained.map(shortName).join(', ')}`));
  }
  return [...found, ...compareTypeParameters(old.typeParameters, now.typeParameters)];
}

/** Public bases and interfaces, all of them. */
function basesOf(
  type: DotnetType,
  { types, spaces }: DotnetLibrary,
): { readonly names: ReadonlySet<string>; readonly foreign: boolean } {
  const names = new Set<string>();
  let foreign = false;
  const open: (string | null)[] = [type.base, ...type.interfaces];
  for (let next = open.pop(); next !== undefined; next = open.pop()) {
    if (next === null || names.has(next) || plainBases.test(next)) continue;
    const found = types.get(next);
    // What is inside and hidden, users cannot name.
    if (found === undefined && type.space !== '' && spaces.has(spaceOf(next))) continue;
    names.add(next);
    if (found === undefined) foreign = foreign || next === type.base;
    else open.push(found.base, ...found.interfaces);
  }
  return { names, foreign };
}

const spaceOf = (name: string) => name.replace(/[.+][^.+]*$/, '');

/** II.10.1.7 and II.23.1.7. */
function compareTypeParameters(old: readonly DotnetTypeParameter[], now: readonly DotnetTypeParameter[]): Verdict[] {
  return old.flatMap((parameter, index): Verdict[] => {
    const other = now[index];
    if (other === undefined) return [];
    const found: Verdict[] = [];
    const variance = (one: DotnetTypeParameter) => one.flags & 3;
    if (variance(parameter) !== variance(other))
      found.push(
        variance(parameter) === 0
          ? addition(`${other.name} may vary`)
          : breaking(`${other.name} may no longer vary as before`),
      );
    const demands = ({ flags, constraints }: DotnetTypeParameter) => [
      ...(flags & 4 ? ['class'] : []),
      ...(flags & 8 ? ['struct'] : []),
      ...(flags & 16 ? ['new()'] : []),
      ...constraints,
    ];
    const more = demands(other).filter((one) => !demands(parameter).includes(one));
    const less = demands(parameter).filter((one) => !demands(other).includes(one));
    if (more.length > 0) found.push(breaking(`${other.name} must be ${more.map(shortName).join(', ')} now`));
    else if (less.length > 0) found.push(compatible(`${other.name} need not be ${less.map(shortName).join(', ')}`));
    return found;
  });
}

function compareMembers(old: DotnetMember, now: DotnetMember, owner: DotnetType): Verdict[] {
  if (old.kind !== now.kind) return [breaking(`it was a ${old.kind} and is a ${now.kind}: programs no longer find it`)];
  const found: Verdict[] = [];
  if (old.access === 'public' && now.access === 'protected') found.push(breaking('it is protected now'));
  if (old.access === 'protected' && now.access === 'public') found.push(addition('it is public now'));
  if (old.type !== now.type)
    found.push(breaking(`its type was ${old.type} and is ${now.type}: programs no longer find it`));
  if (old.isStatic !== now.isStatic)
    found.push(breaking(now.isStatic ? 'it belongs to the type now' : 'it belongs to objects now'));
  if (old.kind === 'field') return [...found, ...compareFields(old, now, owner)];
  if (now.isAbstract && !old.isAbstract) found.push(breaking('it is abstract now: types below it must have it'));
  if (old.isAbstract && !now.isAbstract) found.push(compatible('types below it need not have it'));
  const canReplace = isExtendable(owner);
  if ((old.isVirtual || old.isAbstract) && !now.isVirtual && !now.isAbstract && canReplace)
    found.push(breaking('types below it may no longer replace it'));
  if (!old.isVirtual && !old.isAbstract && now.isVirtual && canReplace)
    found.push(addition('types below it may replace it'));
  found.push(...compareTypeParameters(old.typeParameters, now.typeParameters));
  if (old.kind === 'property') found.push(...compareAccessors(old, now));
  for (const [index, parameter] of old.parameters.entries())
    found.push(...compareParameter(parameter, now.parameters[index] ?? parameter));
  return found;
}

function compareFields(old: DotnetMember, now: DotnetMember, { kind }: DotnetType): Verdict[] {
  if (old.constant !== null && now.constant !== null) {
    if (old.constant === now.constant) return [];
    return [
      kind === 'enum'
        ? breaking('another value: compiled programs have the old one')
        : compatible('another value: programs keep the old one until they are compiled again'),
    ];
  }
  if (old.constant !== null) return [breaking('it is no longer a constant: it cannot stand in a case or an attribute')];
  if (now.constant !== null) return [breaking('it is a constant now: programs no longer find the field')];
  if (!old.isReadOnly && now.isReadOnly) return [breaking('it can no longer be set')];
  if (!old.isRequired && now.isRequired) return [breaking('users must set it where they make an object')];
  return old.isReadOnly && !now.isReadOnly ? [compatible('it can be set')] : [];
}

function compareAccessors(old: DotnetMember, now: DotnetMember): Verdict[] {
  const found: Verdict[] = [];
  for (const [word, before, after] of [
    ['read', old.getter, now.getter],
    ['set', old.setter, now.setter],
  ] as const) {
    if (before !== null && (after === null || (before === 'public' && after === 'protected')))
      found.push(breaking(`it can no longer be ${word}${after === null ? '' : ' from outside'}`));
    else if (before !== after && after !== null)
      found.push(now.isAbstract ? breaking(`types below it must let it be ${word}`) : addition(`it can be ${word}`));
  }
  if (old.setter !== null && now.setter !== null && old.isInitOnly !== now.isInitOnly)
    found.push(
      breaking(now.isInitOnly ? 'it can only be set where an object is made' : 'programs no longer find how it is set'),
    );
  if (!old.isRequired && now.isRequired) found.push(breaking('users must set it where they make an object'));
  if (old.isRequired && !now.isRequired) found.push(compatible('users need not set it'));
  return found;
}

function compareParameter(old: DotnetParameter, now: DotnetParameter): Verdict[] {
  const found: Verdict[] = [];
  if (old.type !== now.type) found.push(breaking(`${now.name} is passed in another way: sources no longer compile`));
  if (old.name !== now.name)
    found.push(breaking(`the parameter ${old.name} is called ${now.name} now: sources that name it no longer compile`));
  if (old.isOptional && !now.isOptional)
    found.push(breaking(`${now.name} must be given now: sources without it no longer compile`));
  else if (!old.isOptional && now.isOptional) found.push(compatible(`${now.name} may be left out`));
  else if (old.default !== now.default)
    found.push(unknown(`another default of ${now.name}: compiled programs keep the old one`));
  if (old.isList && !now.isList)
    found.push(breaking(`${now.name} must be an array now: sources that list the values no longer compile`));
  if (!old.isList && now.isList) found.push(addition(`values of ${now.name} can be listed`));
  return found;
}
