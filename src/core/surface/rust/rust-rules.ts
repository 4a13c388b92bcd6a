import { addition, breaking, compatible, type Item, type ItemRules, unknown, type Verdict } from '../items.ts';
import type { RustFunction, RustItem } from './definitions.ts';
import type { RustDetail } from './list-items.ts';
import { numbered, plainType } from './read-file.ts';

/** What else has a say. */
export type RustFacts = {
  /** Features that are on by default. */
  readonly enabled: ReadonlySet<string>;
  /** Words of what could not be read: calls of macros, and files with errors. */
  readonly unreadBefore: ReadonlySet<string>;
  readonly unreadNow: ReadonlySet<string>;
};

/** How differences of crates are judged (The Cargo Book, "SemVer Compatibility"). */
export function rustRules({ enabled, unreadBefore, unreadNow }: RustFacts): ItemRules<RustDetail> {
  const lastWord = (name: string) => /\w+(?=\W*$)/.exec(name)?.[0] ?? name;
  return {
    removed: ({ name }) => [
      unreadNow.has(lastWord(name))
        ? unknown('it is not seen any more, but a macro that is not read names it')
        : breaking('it was removed, or is no longer public'),
    ],
    added: ({ name, detail }) => {
      const verdict = addedTo(detail);
      const isOpen = verdict.effect === 'breaking' && unreadBefore.has(lastWord(name));
      return [isOpen ? unknown('it was not seen before, but a macro that is not read named it') : verdict];
    },
    changed: (before, after) => changed(before, after, enabled),
  };
}

type Structure = RustItem & { readonly kind: 'struct' | 'union' };

/** Whether users can write all of its fields. */
function isBuildable(item: RustItem | null): boolean {
  return (
    (item?.kind === 'struct' || item?.kind === 'union') &&
    !item.isNonExhaustive &&
    item.fields.every(({ isPublic }) => isPublic) &&
    item.shape !== 'unit'
  );
}

function addedTo({ of, owner, isSealed }: RustDetail): Verdict {
  if (of.type === 'field' && isBuildable(owner)) return breaking('users who write all fields must name it');
  if (of.type !== 'item' || owner === null) return addition('new');
  if (owner.kind === 'enum' && of.item.kind === 'variant')
    return owner.isNonExhaustive ? addition('a new variant') : breaking('a match over all variants no longer compiles');
  if (owner.kind === 'trait') {
    const hasDefault = 'hasBody' in of.item && of.item.hasBody;
    return hasDefault || isSealed ? addition('new') : breaking('types of users that implement the trait must have it');
  }
  return addition('new');
}

function changed(before: Item<RustDetail>, after: Item<RustDetail>, enabled: ReadonlySet<string>): Verdict[] {
  const [from, to] = [before.detail, after.detail];
  const conditions = compareConditions(from.condition, to.condition, enabled);
  const verdicts = compareDetails(from, to);
  if ((from.isUnsure || to.isUnsure) && (verdicts.length > 0 || before.signature !== after.signature))
    return [unknown('several conditions define it in different ways')];
  return [...conditions, ...verdicts];
}

function compareConditions(old: string, now: string, enabled: ReadonlySet<string>): Verdict[] {
  if (old === now) return [];
  const feature = /^feature\s*=\s*"([^"]+)"$/.exec(now)?.[1];
  if (now === '') return [compatible('it no longer has conditions')];
  if (old !== '' || feature === undefined) return [unknown(`it is there under another condition: ${now}`)];
  return [
    enabled.has(feature)
      ? unknown(`it needs the feature ${feature} now, which is on by default`)
      : breaking(`it needs the feature ${feature} now`),
  ];
}

function compareDetails(from: RustDetail, to: RustDetail): Verdict[] {
  const [old, now] = [from.of, to.of];
  if (old.type === 'field' && now.type === 'field') return compareTypes(old.field.type, now.field.type, 'its type');
  if (old.type === 'outside' && now.type === 'outside')
    return old.path === now.path ? [] : [unknown('it comes from another place')];
  if (old.type !== 'item' || now.type !== 'item')
    return old.type === now.type ? [] : [unknown('it could be followed on one side only')];
  if (old.item.kind !== now.item.kind) return compareKinds(old.item, now.item);
  return [
    ...compareCommon(old.item, now.item),
    ...compareItems(old.item, now.item, { isInTrait: to.owner?.kind === 'trait', isSealed: to.isSealed }),
  ];
}

function compareKinds(old: RustItem, now: RustItem): Verdict[] {
  if (now.kind === 'type' || old.kind === 'type') return [unknown(`it was a ${old.kind} and is a ${now.kind}`)];
  return [breaking(`it was a ${old.kind} and is a ${now.kind}`)];
}

function compareCommon(old: RustItem, now: RustItem): Verdict[] {
  const found: Verdict[] = [];
  if (!old.isNonExhaustive && now.isNonExhaustive)
    found.push(breaking('users may no longer name all of it (non_exhaustive)'));
  if (old.isNonExhaustive && !now.isNonExhaustive) found.push(compatible('users may name all of it'));
  const kept = (layout: string) =>
    layout.split(', ').filter((part) => /^(?:C|transparent|[iu]\d+|[iu]size)$/.test(part));
  const lost = kept(old.layout).filter((part) => !kept(now.layout).includes(part));
  if (lost.length > 0) found.push(breaking(`its layout is no longer that of ${lost.join(', ')}`));
  found.push(...compareTypeParameters(old, now));
  return found;
}

function compareTypeParameters(old: RustItem, now: RustItem): Verdict[] {
  const [before, after] = [old.typeParameters, now.typeParameters];
  const more = after.slice(before.length);
  const found: Verdict[] = [];
  if (after.length < before.length) return [breaking('it has fewer type parameters')];
  if (more.length > 0 && (old.kind !== 'function' || before.length > 0)) {
    if (more.every(({ hasDefault }) => hasDefault)) found.push(addition('a new type parameter with a default'));
    else return [breaking('it has more type parameters')];
  }
  const named = (item: RustItem) => item.bounds.map((bound) => numbered(bound, item));
  const [less, all] = [named(old), named(now)];
  // `?Sized` takes a demand away.
  const isDemand = (bound: string) => !/: \?\w+$/.test(bound);
  const ofNew = new Set(more.map((_, index) => `#${before.length + index}`));
  const added = all.filter((bound) => !less.includes(bound) && !ofNew.has(bound.split(':')[0] ?? ''));
  const removed = less.filter((bound) => !all.includes(bound));
  const [tighter, looser] = [
    [...added.filter(isDemand), ...removed.filter((bound) => !isDemand(bound))],
    [...removed.filter(isDemand), ...added.filter((bound) => !isDemand(bound))],
  ];
  const shown = (list: readonly string[]) =>
    list
      .map((bound) => bound.replace(/#(\d+)/g, (_, index: string) => now.typeParameters[Number(index)]?.name ?? 'T'))
      .join(', ');
  if (tighter.length > 0) found.push(breaking(`it asks for more: ${shown(tighter)}`));
  else if (looser.length > 0) found.push(compatible(`it asks for less: ${shown(looser)}`));
  return found;
}

type Place = { readonly isInTrait: boolean; readonly isSealed: boolean };

function compareItems(old: RustItem, now: RustItem, place: Place): Verdict[] {
  if (old.kind === 'function' && now.kind === 'function') return compareFunctions(old, now, place);
  if (old.kind === 'struct' || old.kind === 'union') return compareStructures(old, now as Structure);
  if (old.kind === 'variant' && now.kind === 'variant') {
    const text = (variant: typeof old) =>
      `${variant.shape} ${variant.fields.map(({ name, type }) => `${name}: ${type}`).join(', ')}`;
    if (text(old) !== text(now)) {
      const isLonger =
        old.isNonExhaustive &&
        now.shape === old.shape &&
        old.fields.every(({ name, type }) => now.fields.some((one) => one.name === name && one.type === type));
      return [isLonger ? addition('more fields') : breaking('it has other fields')];
    }
    return old.value === now.value ? [] : [unknown('another number')];
  }
  if (old.kind === 'trait' && now.kind === 'trait') {
    const [before, after] = [old.above.map(plainType), now.above.map(plainType)];
    const more = after.filter((one) => !before.includes(one));
    const less = before.filter((one) => !after.includes(one));
    return [
      ...(old.isUnsafe === now.isUnsafe
        ? []
        : [breaking(`implementing it is ${now.isUnsafe ? 'unsafe now' : 'no longer unsafe'}: \`impl\` must say so`)]),
      ...(more.length > 0 && !place.isSealed ? [breaking(`types that implement it must be ${more.join(', ')}`)] : []),
      ...(less.length > 0 ? [breaking(`types that implement it need not be ${less.join(', ')}`)] : []),
    ];
  }
  if ((old.kind === 'constant' || old.kind === 'static') && old.kind === now.kind) {
    const lost = place.isInTrait && !place.isSealed && old.hasBody && !now.hasBody;
    return [
      ...compareTypes(old.type, now.type, 'its type'),
      ...(lost ? [breaking('types that implement the trait must have it')] : []),
    ];
  }
  if (old.kind === 'type' && now.kind === 'type')
    return old.hasBody || now.hasBody
      ? compareTypes(numbered(old.type, old), numbered(now.type, now), 'what it stands for')
      : [];
  if (old.kind === 'macro' && now.kind === 'macro') {
    if (old.patterns.join('\n') === now.patterns.join('\n')) return [];
    const isWider = old.patterns.every((pattern) => now.patterns.includes(pattern));
    return [isWider ? addition('it takes more') : unknown('it takes something else')];
  }
  return [];
}

function compareStructures(old: Structure, now: Structure): Verdict[] {
  if (old.shape !== now.shape)
    return [breaking(`its fields are written in another way: ${old.shape} before, ${now.shape} now`)];
  if (isBuildable(old) && !isBuildable(now) && !now.isNonExhaustive)
    return [breaking('it has a field that users cannot name: they can no longer write one')];
  if (!isBuildable(old) && isBuildable(now) && !old.isNonExhaustive) return [addition('users can write one')];
  return [];
}

function compareTypes(old: string, now: string, what: string): Verdict[] {
  return old === now ? [] : [breaking(`${what} was ${old} and is ${now}`)];
}

function compareFunctions(old: RustFunction, now: RustFunction, { isInTrait, isSealed }: Place): Verdict[] {
  const found: Verdict[] = [];
  const canImplement = isInTrait && !isSealed;
  if (old.isConst && !now.isConst) found.push(breaking('it can no longer be called in constants'));
  if (!old.isConst && now.isConst) found.push(addition('it can be called in constants'));
  if (old.isAsync !== now.isAsync)
    found.push(breaking(now.isAsync ? 'it must be awaited now' : 'it can no longer be awaited'));
  if (!old.isUnsafe && now.isUnsafe) found.push(breaking('calling it is unsafe now'));
  if (old.isUnsafe && !now.isUnsafe)
    found.push(
      canImplement ? breaking('types that implement it must drop `unsafe`') : compatible('calling it is safe'),
    );
  if (old.abi !== now.abi) found.push(breaking('it is called in another way'));
  if (old.receiver !== now.receiver) found.push(...compareReceivers(old.receiver, now.receiver));
  if (canImplement && old.hasBody && !now.hasBody) found.push(breaking('types that implement the trait must have it'));
  if (old.hasBody !== now.hasBody && !old.hasBody && isInTrait)
    found.push(compatible('types that implement the trait need not have it'));
  if (old.parameters.length !== now.parameters.length)
    return [...found, breaking('it has another number of parameters')];
  for (const [index, parameter] of old.parameters.entries()) {
    const [before, after] = [numbered(parameter, old), numbered(now.parameters[index] ?? parameter, now)];
    if (before === after) continue;
    // A generic parameter may take what the plain one took.
    const isGeneric = /#\d|\bimpl\b/.test(after) && !canImplement;
    found.push(
      isGeneric
        ? unknown(`it takes ${now.parameters[index]} in place of ${parameter}`)
        : breaking(`it takes ${now.parameters[index]} in place of ${parameter}`),
    );
  }
  const [before, after] = [numbered(old.result, old), numbered(now.result, now)];
  if (before !== after)
    found.push(
      /^impl\b/.test(before) && !/^impl\b/.test(after) && !canImplement
        ? unknown(`the result is ${now.result} in place of ${old.result}`)
        : breaking(`the result is ${now.result} in place of ${old.result}`),
    );
  return found;
}

/** `&self` can be called on whatever `&mut self` and `self` can. */
function compareReceivers(old: string | null, now: string | null): Verdict[] {
  const rank = (receiver: string | null) => ['&self', '&mut self', 'self'].indexOf(receiver ?? '');
  if (rank(old) === -1 || rank(now) === -1) return [breaking('it is called on something else')];
  return [
    rank(now) < rank(old) && rank(old) === 1
      ? compatible('it asks for less')
      : rank(now) > rank(old)
        ? breaking('it asks for more of the value it is called on')
        : unknown('it is called on something else'),
  ];
}
