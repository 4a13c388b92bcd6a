import { addition, breaking, compatible, type Item, type ItemRules, unknown, type Verdict } from '../items.ts';
import { access, type JvmClass, type JvmMember } from './class-file.ts';
import { isExtendable, type JvmLibrary } from './jvm-library.ts';
import { type JvmDetail, kindOf, mustBeDefined } from './list-items.ts';
import { javaName, readClassSignature, readFieldType, readMethodType, relateTypes, typeText } from './types.ts';

// Two questions, with answers of their own: whether programs that were compiled before still work (The Java Language
// Specification 17, chapter 13 "Binary Compatibility"), and whether sources can still be compiled.

/** How differences of class files are judged. */
export function jvmRules(old: JvmLibrary, now: JvmLibrary): ItemRules<JvmDetail> {
  return {
    removed: (item) => removed(item, now),
    added: (item) => added(item, old),
    changed: (before, after) => {
      const [from, to] = [before.detail, after.detail];
      if (from.member === null || to.member === null) return compareClasses(from.cls, to.cls, [old, now]);
      return from.member.kind === 'field'
        ? compareFields(from as Owned, to as Owned)
        : compareMethods(from as Owned, to as Owned, now);
    },
  };
}

type Owned = { readonly cls: JvmClass; readonly member: JvmMember; readonly home: JvmClass };

const has = ({ access: flags }: { readonly access: number }, flag: keyof typeof access) => (flags & access[flag]) !== 0;

/** Methods that every object, enum or record has. */
const universal =
  /^(?:equals|hashCode|toString|getClass|notify|notifyAll|wait|clone|finalize|name|ordinal|compareTo|getDeclaringClass)$/;

/** Super types of the Java platform whose members are known here; the empty list for none that matter. */
const knownAbove: Readonly<Record<string, RegExp>> = {
  'java/lang/Object': universal,
  'java/lang/Enum': universal,
  'java/lang/Record': universal,
  'java/lang/Comparable': /^compareTo$/,
  'java/lang/Runnable': /^run$/,
  'java/lang/AutoCloseable': /^close$/,
  'java/io/Closeable': /^close$/,
  'java/io/Serializable': /^$/,
  'java/lang/Cloneable': /^$/,
  'java/lang/Iterable': /^(?:iterator|forEach|spliterator)$/,
  'java/lang/annotation/Annotation': /^$/,
};
const throwables =
  /^(?:getMessage|getLocalizedMessage|getCause|initCause|toString|printStackTrace|fillInStackTrace|getStackTrace|setStackTrace|addSuppressed|getSuppressed)$/;

/** Whether a member may be inherited from what is not inside: `null` where that cannot be said. */
function mayBeInherited(cls: JvmClass, name: string, library: JvmLibrary): 'no' | 'yes' | string {
  if (name === '<init>') return 'no';
  const unread: string[] = [];
  for (const above of library.above(cls).foreign) {
    const isThrowable = /^java\/lang\/\w*(?:Exception|Error|Throwable)$/.test(above);
    const known = isThrowable ? throwables : knownAbove[above];
    if (known === undefined) unread.push(javaName(above));
    else if (known.test(name)) return 'yes';
  }
  return unread.length === 0 ? 'no' : `it may come from ${unread.join(', ')}, which is not inside`;
}

function removed({ detail: { cls, member } }: Item<JvmDetail>, now: JvmLibrary): Verdict[] {
  const same = now.classes.get(cls.name);
  if (member === null)
    return [
      breaking(
        same === undefined ? 'the class was removed (JLS 13.4.3)' : 'the class is no longer public (JLS 13.4.3)',
      ),
    ];
  if (same === undefined) return [breaking('it was removed')];
  const found = now.find(same, member);
  if (found !== null) {
    const isNarrower = has(member, 'public') && !has(found, 'public');
    return isNarrower ? [breaking('it is protected now (JLS 13.4.7)')] : [];
  }
  const hidden = same.members.find(({ name, descriptor }) => name === member.name && descriptor === member.descriptor);
  if (hidden !== undefined) return [breaking('it is no longer public (JLS 13.4.7)')];
  const inherited = mayBeInherited(same, member.name, now);
  if (inherited === 'yes') return [];
  const section = member.kind === 'field' ? '13.4.8' : '13.4.12';
  return [
    inherited === 'no' ? breaking(`it was removed: programs no longer find it (JLS ${section})`) : unknown(inherited),
  ];
}

function added({ detail }: Item<JvmDetail>, old: JvmLibrary): Verdict[] {
  const { cls, member } = detail;
  if (member === null) return [addition('new')];
  const before = old.classes.get(cls.name);
  if (before !== undefined && old.find(before, member) !== null && !mustBeDefined(detail)) return [];
  if (kindOf(cls) === 'annotation' && member.kind === 'method')
    return [
      member.hasDefault
        ? addition('new')
        : breaking('users of the annotation must give it: their sources no longer compile'),
    ];
  if (mustBeDefined(detail) && (before === undefined || isExtendable(before))) {
    if (before !== undefined && mayBeInherited(before, member.name, old) !== 'no')
      return [unknown('classes below it may have to define it')];
    return [breaking('classes below it must define it: their sources no longer compile (JLS 13.4.16, 13.5.3)')];
  }
  return [addition('new')];
}

function compareClasses(old: JvmClass, now: JvmClass, [before, after]: readonly [JvmLibrary, JvmLibrary]): Verdict[] {
  const kinds = [kindOf(old), kindOf(now)] as const;
  const isInterface = (kind: string) => kind === 'interface' || kind === 'annotation';
  if (isInterface(kinds[0]) !== isInterface(kinds[1]))
    return [breaking(`it is no longer ${article(kinds[0])}: programs fail to link`)];
  const found: Verdict[] = [];
  if (kinds[0] !== kinds[1])
    found.push(
      kinds[0] === 'class'
        ? unknown(`it is ${article(kinds[1])} now`)
        : breaking(`it is no longer ${article(kinds[0])}`),
    );
  if (has(old, 'public') && !has(now, 'public')) found.push(breaking('it is protected now (JLS 13.4.3)'));
  if (has(now, 'abstract') && !has(old, 'abstract') && !isInterface(kinds[1]))
    found.push(breaking('it is abstract now: objects of it can no longer be made (JLS 13.4.1)'));
  if (has(old, 'abstract') && !has(now, 'abstract')) found.push(compatible('it is no longer abstract'));
  if (isExtendable(old) && !isExtendable(now))
    found.push(breaking('users can no longer have classes below it (JLS 13.4.2)'));
  if (!isExtendable(old) && isExtendable(now)) found.push(addition('users can have classes below it'));
  found.push(...compareSealed(old, now), ...compareAbove(old, now, [before, after]));
  const [own, other] = [typeParameters(old), typeParameters(now)];
  if (own !== other)
    found.push(
      own === ''
        ? compatible('it is generic now: sources without type arguments still compile (JLS 13.4.5)')
        : own.split(',').length === other.split(',').length && other !== ''
          ? unknown('other bounds of its type parameters')
          : breaking('it has other type parameters: sources that name them no longer compile'),
    );
  return [...found, ...compareAnnotations(old, now)];
}

const article = (kind: string) => `${/^[aei]/.test(kind) ? 'an' : 'a'} ${kind}`;

function compareSealed(old: JvmClass, now: JvmClass): Verdict[] {
  if (old.permitted === null || now.permitted === null) return [];
  const more = now.permitted.some((name) => old.permitted?.includes(name) !== true);
  return more ? [breaking('it has one more class below it: a switch over all of them no longer compiles')] : [];
}

/** JLS 13.4.4. */
function compareAbove(old: JvmClass, now: JvmClass, [before, after]: readonly [JvmLibrary, JvmLibrary]): Verdict[] {
  const [above, below] = [before.above(old).names, after.above(now)];
  const isPublic = (name: string, library: JvmLibrary) => {
    const found = library.classes.get(name);
    return found === undefined || library.isPublic(found);
  };
  const lost = [...above].filter((name) => !below.names.has(name) && isPublic(name, before));
  const unread = below.foreign.filter((name) => knownAbove[name] === undefined);
  const gained = [...below.names].filter((name) => !above.has(name) && isPublic(name, after));
  return [
    ...lost.map((name) =>
      unread.length === 0
        ? breaking(`it is no longer a ${javaName(name)} (JLS 13.4.4)`)
        : unknown(`it no longer names ${javaName(name)}; ${unread.map(javaName).join(', ')} may be one`),
    ),
    ...(gained.length > 0 && lost.length === 0 ? [addition(`it is also a ${gained.map(javaName).join(', ')}`)] : []),
  ];
}

function typeParameters({ signature }: JvmClass): string {
  try {
    return readClassSignature(signature)
      .typeParameters.map(({ bounds }) => bounds.map(typeText).join('&'))
      .join(',');
  } catch (error) {
    if (error instanceof RangeError) return 'unreadable';
    throw error;
  }
}

/** JLS 13.5.7 and 9.6.4. */
function compareAnnotations(old: JvmClass, now: JvmClass): Verdict[] {
  if (kindOf(old) !== 'annotation') return [];
  const found: Verdict[] = [];
  const lost = (old.targets ?? []).filter((target) => now.targets !== null && !now.targets.includes(target));
  if (lost.length > 0) found.push(breaking(`it may no longer stand at ${lost.join(', ')}`));
  if (old.targets === null && now.targets !== null)
    found.push(breaking(`it may only stand at ${now.targets.join(', ')}`));
  if (lost.length === 0 && (now.targets ?? []).some((target) => old.targets?.includes(target) === false))
    found.push(addition('it may stand at more places'));
  if (old.targets !== null && now.targets === null) found.push(addition('it may stand at more places'));
  const rank = (cls: JvmClass) => ['SOURCE', 'CLASS', 'RUNTIME'].indexOf(cls.retention ?? 'CLASS');
  if (rank(now) < rank(old)) found.push(breaking('programs no longer find it in class files'));
  if (rank(now) > rank(old)) found.push(addition('it is kept longer'));
  return found;
}

function compareAccess(old: JvmMember, now: JvmMember): Verdict[] {
  if (has(old, 'public') && !has(now, 'public')) return [breaking('it is protected now (JLS 13.4.7)')];
  return !has(old, 'public') && has(now, 'public') ? [addition('it is public now')] : [];
}

function compareFields(from: Owned, to: Owned): Verdict[] {
  const [old, now] = [from.member, to.member];
  const found = compareAccess(old, now);
  if (old.descriptor !== now.descriptor) return [breaking('another type: programs no longer find it (JLS 13.4.8)')];
  if (has(old, 'static') !== has(now, 'static'))
    return [breaking(`it ${has(now, 'static') ? 'belongs to the class now' : 'belongs to objects now'} (JLS 13.4.10)`)];
  if (!has(old, 'final') && has(now, 'final')) found.push(breaking('it can no longer be set (JLS 13.4.9)'));
  if (has(old, 'final') && !has(now, 'final')) found.push(compatible('it can be set'));
  if (old.constant !== null && now.constant === null)
    found.push(breaking('it is no longer a constant: it cannot stand in a case or an annotation'));
  else if (old.constant !== now.constant && old.constant !== null)
    found.push(compatible('another value: programs keep the old one until they are compiled again (JLS 13.4.9)'));
  else if (old.constant === null && now.constant !== null) found.push(compatible('it is a constant now'));
  return [...found, ...compareFieldTypes(from, to)];
}

function compareFieldTypes(from: Owned, to: Owned): Verdict[] {
  const [before, after] = [fieldType(from), fieldType(to)];
  if (before === null || after === null) return [];
  const relation = relateTypes(before, after);
  if (relation === 'same') return [];
  if (relation === 'unknown') return [unknown('other type arguments')];
  return [breaking('other type arguments: sources that use it no longer compile')];
}

function fieldType({ home, member }: Owned) {
  return readOrNull(() =>
    readFieldType(member.signature ?? member.descriptor, readClassSignature(home.signature).variables),
  );
}

function readOrNull<T>(read: () => T): T | null {
  try {
    return read();
  } catch (error) {
    if (error instanceof RangeError) return null;
    throw error;
  }
}

function compareMethods(from: Owned, to: Owned, library: JvmLibrary): Verdict[] {
  const [old, now] = [from.member, to.member];
  // Of an abstract class, a constructor is only ever called from below.
  const isOnlyBelow = old.name === '<init>' && has(from.cls, 'abstract');
  const found = isOnlyBelow ? [] : compareAccess(old, now);
  if (old.descriptor !== now.descriptor) {
    // A bridge keeps the old one for compiled programs (JLS 15.12.4.5).
    const hasBridge = to.cls.members.some(({ name, descriptor }) => name === old.name && descriptor === old.descriptor);
    found.push(
      hasBridge
        ? compatible('a more precise result, and programs still find the old one')
        : breaking('another result: programs no longer find it (JLS 13.4.15)'),
    );
  }
  if (has(old, 'static') !== has(now, 'static'))
    found.push(
      breaking(`it ${has(now, 'static') ? 'belongs to the class now' : 'belongs to objects now'} (JLS 13.4.19)`),
    );
  if (kindOf(from.cls) === 'annotation') {
    if (old.hasDefault && !now.hasDefault)
      found.push(breaking('it has no default: users of the annotation must give it (JLS 13.5.7)'));
    if (!old.hasDefault && now.hasDefault) found.push(compatible('it has a default'));
    return found;
  }
  const canOverride = isExtendable(from.cls) && old.name !== '<init>';
  if (has(now, 'abstract') && !has(old, 'abstract')) found.push(breaking('it is abstract now (JLS 13.4.16)'));
  if (has(old, 'abstract') && !has(now, 'abstract')) found.push(compatible('classes below it need not define it'));
  if (has(now, 'final') && !has(old, 'final') && canOverride)
    found.push(breaking('classes below it may no longer replace it (JLS 13.4.17)'));
  if (has(old, 'final') && !has(now, 'final') && canOverride) found.push(addition('classes below it may replace it'));
  if (has(old, 'varargs') && !has(now, 'varargs'))
    found.push(breaking('it takes an array now: sources that list the values no longer compile'));
  if (!has(old, 'varargs') && has(now, 'varargs')) found.push(addition('values can be listed'));
  return [...found, ...compareExceptions(old, now, library), ...compareGenerics(from, to)];
}

/** JLS 13.4.21: no matter for compiled programs, but for sources. */
function compareExceptions(old: JvmMember, now: JvmMember, library: JvmLibrary): Verdict[] {
  const judge = (name: string, why: string): Verdict[] => {
    const isChecked = library.isChecked(name);
    if (isChecked === false) return [];
    return [isChecked === true ? breaking(why) : unknown(`${why}, if it is a checked exception`)];
  };
  const isTop = (name: string) => /^java\/lang\/(?:Exception|Throwable)$/.test(name);
  return [
    ...now.exceptions
      .filter((name) => !old.exceptions.some((known) => library.isKindOf(name, known)))
      .flatMap((name) => judge(name, `it throws ${javaName(name)}: sources that do not catch it no longer compile`)),
    ...old.exceptions
      // What is caught may be more or less than what is thrown, and these two may always be caught.
      .filter((name) => !isTop(name))
      .filter((name) => !now.exceptions.some((kept) => library.isKindOf(kept, name) || library.isKindOf(name, kept)))
      .flatMap((name) => judge(name, `it no longer throws ${javaName(name)}: sources that catch it no longer compile`)),
  ];
}

function compareGenerics(from: Owned, to: Owned): Verdict[] {
  const read = ({ home, member }: Owned) =>
    readOrNull(() =>
      readMethodType(member.signature ?? member.descriptor, readClassSignature(home.signature).variables),
    );
  const [before, after] = [read(from), read(to)];
  if (before === null || after === null || before.parameters.length !== after.parameters.length) return [];
  const found: Verdict[] = [];
  const bounds = ({ typeParameters: list }: typeof before) =>
    list.map((parameter) => parameter.bounds.map(typeText).join('&')).join();
  if (before.typeParameters.length !== after.typeParameters.length || bounds(before) !== bounds(after))
    found.push(unknown('other type parameters'));
  for (const [index, parameter] of before.parameters.entries()) {
    const relation = relateTypes(parameter, after.parameters[index] ?? parameter);
    const text = typeText(parameter);
    if (relation === 'wider') found.push(compatible(`it takes more than ${text}`));
    if (relation === 'unknown') found.push(unknown(`other type arguments than ${text}`));
    if (relation === 'narrower' || relation === 'other')
      found.push(breaking(`it no longer takes every ${text}: sources no longer compile`));
  }
  if (from.member.descriptor !== to.member.descriptor) return found;
  const relation = relateTypes(before.result, after.result);
  if (relation === 'narrower') found.push(compatible('a more precise result'));
  if (relation === 'unknown') found.push(unknown('another result'));
  if (relation === 'wider' || relation === 'other')
    found.push(breaking(`the result is no longer ${typeText(before.result)}: sources no longer compile`));
  return found;
}
