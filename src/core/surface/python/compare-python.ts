import { addition, breaking, compatible, type Item, type ItemRules, unknown, type Verdict } from '../items.ts';
import { relate } from './annotations.ts';
import { compareFunctions, compareParameters } from './compare-functions.ts';
import type { PythonAttribute, PythonClass, PythonDefinition, PythonParameter } from './definitions.ts';
import type { Located, PythonLibrary } from './library.ts';
import { fieldsOf, type PythonDetail, typeOfAttribute } from './list-items.ts';

/** Bases that add nothing to a class, or nothing but protocol methods. */
const knownBases = new Set(
  'object Exception BaseException ValueError TypeError KeyError IndexError LookupError RuntimeError AttributeError ArithmeticError NotImplementedError Warning UserWarning DeprecationWarning ABC Protocol Generic Enum IntEnum StrEnum Flag IntFlag NamedTuple TypedDict ABCMeta'.split(
    ' ',
  ),
);

/** How differences of Python's names are judged. */
export function pythonRules(old: PythonLibrary, now: PythonLibrary): ItemRules<PythonDetail> {
  const moduleOf = (library: PythonLibrary, entry: string) => library.modules.get(entry);
  const whyDynamic = (library: PythonLibrary, entry: string) => {
    const module = moduleOf(library, entry);
    return module === undefined ? null : library.whyDynamic(module);
  };
  return {
    removed: (item) => {
      const why = whyDynamic(now, item.entry);
      if (item.owner === null)
        return [why === null ? breaking('it was removed') : unknown(`it is not listed any more, but ${why}`)];
      return removedMember(item, old, now);
    },
    added: (item) => {
      if (item.owner === null) {
        const why = whyDynamic(old, item.entry);
        return [why === null ? addition('new') : unknown(`it was not listed before, but ${why}`)];
      }
      return addedMember(item, old, now);
    },
    changed: (before, after) => changed(before, after, [old, now]),
  };
}

function changed(
  before: Item<PythonDetail>,
  after: Item<PythonDetail>,
  [old, now]: readonly [PythonLibrary, PythonLibrary],
): Verdict[] {
  const [from, to] = [before.detail.found, after.detail.found];
  if (from === null && to === null)
    return before.signature === after.signature ? [] : [unknown('it comes from another place')];
  if (from === null || to === null) return [unknown('it could be followed on one side only')];
  return compareDefinitions(from, to, { libraries: [old, now], owner: after.detail.owner });
}

type Scope = { readonly libraries: readonly [PythonLibrary, PythonLibrary]; readonly owner: Located | null };

function compareDefinitions(from: Located, to: Located, { libraries, owner }: Scope): Verdict[] {
  const [old, now] = [from.definition, to.definition];
  const verdicts =
    old.type === 'function' && now.type === 'function'
      ? compareFunctions(old, now, owner !== null)
      : old.type === 'class' && now.type === 'class'
        ? compareClasses(from, to, libraries)
        : old.type === 'attribute' && now.type === 'attribute'
          ? compareAttributes(old, now)
          : compareKinds(old, now);
  return (old.isUnsure || now.isUnsure) && verdicts.length > 0
    ? [unknown('several branches define it in different ways')]
    : verdicts;
}

function compareKinds(old: PythonDefinition, now: PythonDefinition): Verdict[] {
  const isValue = (one: PythonDefinition) =>
    one.type === 'attribute' || (one.type === 'function' && one.binding === 'property');
  if (isValue(old) && isValue(now)) {
    const isReadOnly = now.type === 'function' && !now.isSettable;
    return isReadOnly ? [breaking('it is a property now and cannot be set')] : [];
  }
  if (old.type === 'class') return [breaking('it is no longer a class')];
  if (old.type === 'attribute') return [unknown(`it is a ${now.type} now`)];
  return [
    now.type === 'class'
      ? unknown('it is a class now: calls make an object of it')
      : breaking(`it is no longer a function`),
  ];
}

function compareAttributes(old: PythonAttribute, now: PythonAttribute): Verdict[] {
  const [before, after] = [typeOfAttribute(old), typeOfAttribute(now)];
  if (before === null || after === null) return [];
  if (before === 'type' && after === 'type')
    return old.value === now.value ? [] : [unknown('an alias of another type')];
  const relation = relate(
    before.replace(/^(?:Final|ClassVar)\[(.*)\]$/s, '$1'),
    after.replace(/^(?:Final|ClassVar)\[(.*)\]$/s, '$1'),
  );
  if (relation === 'same') return [];
  if (relation === 'unknown') return [unknown('another type')];
  // Users read it and may set it.
  return [
    relation === 'narrower' && /^(?:Final|ClassVar)\b/.test(after)
      ? compatible('a narrower type')
      : breaking(`it is no longer always ${before}`),
  ];
}

function compareClasses(from: Located, to: Located, [old, now]: Scope['libraries']): Verdict[] {
  const [before, after] = [from.definition as PythonClass, to.definition as PythonClass];
  const [above, below] = [old.ancestry(from), now.ancestry(to)];
  const found: Verdict[] = [];
  const lost = [...above.names].filter(
    (name) => !below.names.has(name) && !/^(?:_|object$|Generic$|Protocol$|ABC$)/.test(name),
  );
  const isSure = below.foreign.every((name) => knownBases.has(lastPart(name)));
  for (const name of lost)
    found.push(
      isSure
        ? breaking(`it is no longer a ${name}`)
        : unknown(`it no longer names ${name} as a base; others of its bases may be one`),
    );
  const gained = [...below.names].filter((name) => !above.names.has(name) && !name.startsWith('_'));
  if (gained.length > 0 && lost.length === 0) found.push(compatible(`it is also a ${gained.join(', ')}`));
  if (after.isFinal && !before.isFinal) found.push(breaking('users may no longer derive classes from it'));
  if (before.isFinal && !after.isFinal) found.push(addition('users may derive classes from it'));
  return [...found, ...compareMaking(from, to, [old, now])];
}

const lastPart = (name: string) => name.split('.').at(-1) ?? name;

/** How objects are made where no `__init__` says it: from fields. */
function compareMaking(from: Located, to: Located, [old, now]: Scope['libraries']): Verdict[] {
  const [before, after] = [makingOf(from, old), makingOf(to, now)];
  if (before === null && after === null) return [];
  if (before === null || after === null) return [unknown('objects of it are made in another way')];
  if (before.type !== after.type) return [unknown(`it was a ${before.type} and is a ${after.type}`)];
  const found = compareParameters(before.parameters, after.parameters);
  if (before.type === 'named tuple' && before.parameters.length < after.parameters.length)
    found.push(breaking('it has more parts: unpacking it fails'));
  if (!before.isFrozen && after.isFrozen) found.push(breaking('its fields can no longer be set'));
  if (before.isFrozen && !after.isFrozen) found.push(compatible('its fields can be set'));
  return found;
}

type Making = {
  readonly type: 'data class' | 'named tuple' | 'typed dictionary';
  readonly parameters: PythonParameter[];
  readonly isFrozen: boolean;
};

function makingOf(located: Located, library: PythonLibrary): Making | null {
  const { definition } = located;
  if (definition.type !== 'class' || definition.members.has('__init__')) return null;
  const { names } = library.ancestry(located);
  const type =
    definition.dataclass?.hasInit === true
      ? 'data class'
      : names.has('NamedTuple')
        ? 'named tuple'
        : names.has('TypedDict')
          ? 'typed dictionary'
          : null;
  if (type === null) return null;
  const isByName = type === 'typed dictionary' || definition.dataclass?.isKeywordOnly === true;
  let isAfterMark = false;
  const parameters = fieldsOf(located, library).flatMap((field): PythonParameter[] => {
    if (/\bKW_ONLY\b/.test(field.annotation ?? '')) {
      isAfterMark = true;
      return [];
    }
    const isOptional =
      type === 'typed dictionary' ? /\bNotRequired\[/.test(field.annotation ?? '') : hasDefault(field.value);
    const kind = isByName || isAfterMark || /\bkw_only\s*=\s*True\b/.test(field.value ?? '') ? 'keyword' : 'either';
    return [{ name: field.name, kind, type: null, default: isOptional ? '...' : null }];
  });
  return { type, parameters, isFrozen: definition.dataclass?.isFrozen === true };
}

function hasDefault(value: string | null): boolean {
  if (value === null) return false;
  return (
    !/^(?:dataclasses\.|attrs?\.)?(?:field|ib|Factory)\(/.test(value) ||
    /\b(?:default|default_factory|factory)\s*=/.test(value)
  );
}

/** The owner of a member on the other side. */
function ownerIn(library: PythonLibrary, item: Item<PythonDetail>): Located | null {
  const module = library.modules.get(item.entry);
  const found = module === undefined ? null : library.findDotted(module, item.owner ?? '');
  return found?.type === 'definition' ? found : null;
}

const memberName = (item: Item<PythonDetail>) => lastPart(item.name);

function removedMember(item: Item<PythonDetail>, old: PythonLibrary, now: PythonLibrary): Verdict[] {
  const owner = ownerIn(now, item);
  const { found } = item.detail;
  if (owner === null || found === null) return [breaking('it was removed')];
  const inherited = now.member(owner, memberName(item));
  if (inherited !== null) return compareDefinitions(found, inherited, { libraries: [old, now], owner });
  const ancestry = now.ancestry(owner);
  const isDynamic = ancestry.own.some(({ definition }) => (definition as PythonClass).isDynamic);
  const foreign = ancestry.foreign.filter((name) => !knownBases.has(lastPart(name)));
  if (isDynamic) return [unknown('it is not listed any more, but the class makes members when they are asked for')];
  if (foreign.length > 0) return [unknown(`it may come from ${foreign.join(', ')}, which is not inside`)];
  if (memberName(item) === '__init__' || memberName(item) === '__new__') return initWithout(found.definition);
  if (
    /^__(?:repr|str|hash|eq|ne|format|reduce|reduce_ex|sizeof|dir|setattr|delattr|init_subclass|subclasshook|class|getattribute|del)__$/.test(
      memberName(item),
    )
  )
    return [unknown('objects have the usual one of Python now')];
  return [breaking('it was removed')];
}

/** Without an `__init__` of its own, a class takes no arguments. */
function initWithout(definition: PythonDefinition): Verdict[] {
  const parameters = definition.type === 'function' ? (definition.signatures[0]?.parameters ?? []) : [];
  return parameters.length === 0 ? [] : compareParameters(parameters, []);
}

function addedMember(item: Item<PythonDetail>, old: PythonLibrary, now: PythonLibrary): Verdict[] {
  const owner = ownerIn(old, item);
  const { found } = item.detail;
  if (owner === null || found === null) return [addition('new')];
  const inherited = old.member(owner, memberName(item));
  const scope = { libraries: [old, now], owner } as const;
  if (inherited !== null) return compareDefinitions(inherited, found, scope);
  const { definition } = found;
  const ancestry = old.ancestry(owner);
  const foreign = ancestry.foreign.filter((name) => !knownBases.has(lastPart(name)));
  if (memberName(item) === '__init__') {
    const parameters = definition.type === 'function' ? (definition.signatures[0]?.parameters ?? []) : [];
    if (makingOf(owner, old) !== null || foreign.length > 0 || isException(ancestry.names))
      return [unknown('objects of it are made in another way')];
    return compareParameters([], parameters);
  }
  if (definition.type === 'function' && definition.isAbstract)
    return [breaking('classes that users derive from it must define it')];
  if (
    ancestry.names.has('Protocol') &&
    (owner.definition as PythonClass).bases.some((base) => /\bProtocol\b/.test(base))
  )
    return [breaking('objects without it no longer fit the protocol')];
  return [addition('new')];
}

const isException = (names: ReadonlySet<string>) =>
  [...names].some((name) => /(?:Error|Exception|Warning)$/.test(name));
