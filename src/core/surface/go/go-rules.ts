import { addition, breaking, compatible, type Item, type ItemRules, unknown, type Verdict } from '../items.ts';
import type { GoDeclaration, GoFunction, GoSignature, GoType, GoTypeParameter, GoValue } from './definitions.ts';
import type { GoDetail } from './list-items.ts';
import { allMethods, type GoMember, type GoPackage, isExported, promoted } from './module-tree.ts';
import { signatureText } from './read-file.ts';

/** How differences of packages are judged ("Go 1 and the Future of Go Programs"; "Keeping Your Modules Compatible"). @param now packages by path. */
export function goRules(now: ReadonlyMap<string, GoPackage>): ItemRules<GoDetail> {
  return {
    removed: (item) => removed(item, now),
    added: (item) => [added(item.detail)],
    changed: ({ detail: from }, { detail: to }) => {
      const verdicts = compareDetails(from, to);
      return (from.isUnsure || to.isUnsure) && verdicts.length > 0
        ? [unknown('it differs from system to system')]
        : verdicts;
    },
  };
}

/** A field or method may be had from an embedded type now. */
function removed({ detail, entry, name }: Item<GoDetail>, now: ReadonlyMap<string, GoPackage>): Verdict[] {
  const pkg = now.get(entry);
  const owner = detail.owner === null ? undefined : pkg?.names.get(detail.owner.name)?.declaration;
  if (pkg === undefined || owner?.kind !== 'type') return [breaking('it was removed')];
  const { members, foreign } = promoted(pkg, owner);
  const found = members.get(name.split('.').at(-1) ?? name);
  if (found !== undefined) return compareMembers(detail, found);
  if (foreign.length > 0) return [unknown(`it may come from ${foreign.join(', ')}, which is not inside`)];
  return [breaking('it was removed')];
}

const movedField = 'it comes from an embedded type: literals that name it no longer compile';

function compareMembers({ of }: GoDetail, found: GoMember): Verdict[] {
  if (of.type === 'field' && found.type === 'field')
    return [breaking(of.field.type === found.field.type ? movedField : `its type is ${found.field.type} now`)];
  if (of.type === 'method' && found.type === 'method')
    return compareSignatures(of.method.signature, found.method.signature);
  return [breaking(`it is a ${found.type} now`)];
}

function added({ of, owner, pkg }: GoDetail): Verdict {
  if (of.type === 'element' && owner !== null)
    return isSealed(owner, pkg) ? addition('new') : breaking('types of users that have the interface must have it');
  return addition('new');
}

/** Whether only this package can have types of an interface: it has a method that others cannot name. */
function isSealed(type: GoType, pkg: GoPackage): boolean {
  return allMethods(pkg, type).methods.some(({ name }) => !isExported(name));
}

function compareDetails(from: GoDetail, to: GoDetail): Verdict[] {
  const [old, now] = [from.of, to.of];
  if (old.type === 'declaration' && now.type === 'declaration')
    return compareDeclarations(old.declaration, now.declaration, [from.pkg, to.pkg]);
  if (old.type === 'field' && now.type === 'field') {
    const same =
      numbered(old.field.type, from.owner?.typeParameters) === numbered(now.field.type, to.owner?.typeParameters);
    if (!same) return [breaking(`its type was ${old.field.type} and is ${now.field.type}`)];
    if (!from.isPromoted && to.isPromoted) return [breaking(movedField)];
    return old.field.tag === now.field.tag ? [] : [unknown('another tag: what it is written as may differ')];
  }
  if (old.type === 'element' && now.type === 'element')
    return compareSignatures(old.element.signature, now.element.signature);
  if (old.type === 'method' && now.type === 'method') return compareMethods(old.method, now.method);
  return [breaking(`it was a ${old.type} and is a ${now.type}`)];
}

function compareDeclarations(old: GoDeclaration, now: GoDeclaration, pkgs: readonly [GoPackage, GoPackage]): Verdict[] {
  const conditions =
    old.condition === now.condition || now.condition === ''
      ? []
      : [unknown(`it is there on some systems only: ${now.condition}`)];
  if (old.kind === 'function' && now.kind === 'function')
    return [
      ...conditions,
      ...compareTypeParameters(old.typeParameters, now.typeParameters),
      ...compareSignatures(old.signature, now.signature, [old.typeParameters, now.typeParameters]),
    ];
  if (old.kind === 'type' && now.kind === 'type') return [...conditions, ...compareTypes(old, now, pkgs)];
  if ((old.kind === 'constant' || old.kind === 'variable') && old.kind === now.kind)
    return [...conditions, ...compareValues(old, now as GoValue)];
  return [
    old.kind === 'function' && now.kind === 'variable'
      ? unknown('it is a variable now: calls may still work')
      : breaking(`it was a ${old.kind} and is a ${now.kind}`),
  ];
}

/** Type parameters as numbers, so that another name is no difference. */
function numbered(text: string, list: readonly GoTypeParameter[] = []): string {
  return list.reduce((found, { name }, index) => found.replace(new RegExp(`\\b${name}\\b`, 'g'), `#${index}`), text);
}

function compareSignatures(
  old: GoSignature,
  now: GoSignature,
  [before, after]: readonly [readonly GoTypeParameter[], readonly GoTypeParameter[]] = [[], []],
): Verdict[] {
  const [from, to] = [numbered(signatureText(old), before), numbered(signatureText(now), after)];
  if (from === to) return [];
  const isOpen =
    now.parameters.length === old.parameters.length + 1 && now.parameters.at(-1)?.startsWith('...') === true;
  const isSame =
    old.parameters.every((type, index) => now.parameters[index] === type) && old.results.join() === now.results.join();
  return [
    breaking(
      isOpen && isSame
        ? 'it takes more: calls still compile, but its type is another one'
        : 'it takes or gives something else',
    ),
  ];
}

function compareMethods(old: GoFunction, now: GoFunction): Verdict[] {
  const found = compareSignatures(old.signature, now.signature);
  if (old.receiver?.isPointer === false && now.receiver?.isPointer === true)
    found.push(breaking('values no longer have it, only pointers do'));
  if (old.receiver?.isPointer === true && now.receiver?.isPointer === false)
    found.push(compatible('values have it, too'));
  return found;
}

function compareTypeParameters(old: readonly GoTypeParameter[], now: readonly GoTypeParameter[]): Verdict[] {
  if (old.length !== now.length)
    return [
      breaking(
        old.length === 0 ? 'it is generic now: its type is another one' : 'it has another number of type parameters',
      ),
    ];
  return old.flatMap(({ constraint }, index): Verdict[] => {
    const other = now[index]?.constraint ?? constraint;
    if (constraint === other) return [];
    if (other === 'any') return [compatible('it takes any type')];
    return [
      constraint === 'any'
        ? breaking(`it takes only types that are ${other}`)
        : unknown(`another constraint: ${other}`),
    ];
  });
}

function compareTypes(old: GoType, now: GoType, [before, after]: readonly [GoPackage, GoPackage]): Verdict[] {
  const found = compareTypeParameters(old.typeParameters, now.typeParameters);
  if (old.form !== now.form) return [...found, breaking(`it was ${formText(old)} and is ${formText(now)}`)];
  if ((old.form === 'other' || old.form === 'alias') && (now.form === 'other' || now.form === 'alias')) {
    const isSame = numbered(old.type, old.typeParameters) === numbered(now.type, now.typeParameters);
    return isSame ? found : [...found, breaking(`it was ${old.type} and is ${now.type}`)];
  }
  if (old.form === 'interface') {
    const [was, is] = [allMethods(before, old), allMethods(after, now)];
    if (was.elements.join('; ') !== is.elements.join('; ')) found.push(unknown('it has other parts'));
    const hides = (methods: typeof was.methods) => methods.some(({ name }) => !isExported(name));
    if (!hides(was.methods) && hides(is.methods)) found.push(breaking('only this package can have types of it now'));
    return found;
  }
  const isComparable = (type: GoType) =>
    type.form === 'struct' && !type.fields.some(({ type: text }) => /^(?:\[\]|map\[|func\()/.test(text));
  if (isComparable(old) && !isComparable(now)) found.push(breaking('values can no longer be compared'));
  if (!isComparable(old) && isComparable(now)) found.push(addition('values can be compared'));
  return found;
}

function formText({ form }: GoType): string {
  return form === 'alias'
    ? 'another name of a type'
    : form === 'other'
      ? 'a plain type'
      : `${form === 'interface' ? 'an' : 'a'} ${form}`;
}

function compareValues(old: GoValue, now: GoValue): Verdict[] {
  if (old.type !== now.type && old.type !== null && now.type !== null)
    return [breaking(`its type was ${old.type} and is ${now.type}`)];
  if (old.type !== now.type) return [unknown('its type can be seen on one side only')];
  if (old.kind === 'variable') return [];
  if (old.isTyped !== now.isTyped)
    return [breaking(now.isTyped ? 'it has a type of its own now' : 'it has no type of its own any more')];
  return old.value === now.value || /version/i.test(old.name) ? [] : [unknown('another value')];
}
