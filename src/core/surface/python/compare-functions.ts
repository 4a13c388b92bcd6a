import { addition, breaking, compatible, unknown, type Verdict } from '../items.ts';
import { relate } from './annotations.ts';
import type { PythonFunction, PythonParameter, PythonSignature } from './definitions.ts';

/**
 * What a changed function means for those who call it (The Python Language Reference, 6.3.4 "Calls").
 * @param mayOverride whether users may have classes of their own that replace it.
 */
export function compareFunctions(old: PythonFunction, now: PythonFunction, isAbstractNew: boolean): Verdict[] {
  const bindings = compareBindings(old, now, isAbstractNew);
  if (bindings.some(({ effect }) => effect === 'breaking')) return bindings;
  const isProperty = old.binding === 'property';
  const pairs = isProperty ? resultOnly(old, now) : compareSignatures(old.signatures, now.signatures);
  const wrapped = (list: PythonFunction) => list.wrappers.filter((name) => !name.startsWith('\0')).join(', ');
  if (wrapped(old) !== wrapped(now) && pairs.length + bindings.length === 0)
    return [unknown('other decorators: they may change how it is called')];
  return [...bindings, ...pairs];
}

function compareBindings(old: PythonFunction, now: PythonFunction, isAbstractNew: boolean): Verdict[] {
  const found: Verdict[] = [];
  if (old.isAsync !== now.isAsync)
    found.push(breaking(now.isAsync ? 'it must be awaited now' : 'it can no longer be awaited'));
  if ((old.binding === 'property') !== (now.binding === 'property'))
    found.push(
      breaking(
        now.binding === 'property'
          ? 'it is a property now and cannot be called'
          : 'it is a method now and must be called',
      ),
    );
  else if (old.binding !== now.binding)
    found.push(
      now.binding === 'method'
        ? breaking('it needs an object now and cannot be called on the class')
        : unknown(`it is a ${now.binding} method now: calls on an object work, overriding methods may not`),
    );
  if (isAbstractNew && now.isAbstract && !old.isAbstract)
    found.push(breaking('classes that inherit it must define it now'));
  if (old.isAbstract && !now.isAbstract) found.push(compatible('classes that inherit it need not define it'));
  if (now.isFinal && !old.isFinal) found.push(breaking('classes that inherit it may no longer replace it'));
  if (old.isSettable && !now.isSettable && now.binding === 'property') found.push(breaking('it can no longer be set'));
  if (!old.isSettable && now.isSettable && now.binding === 'property') found.push(addition('it can be set'));
  return found;
}

function resultOnly(old: PythonFunction, now: PythonFunction): Verdict[] {
  return compareResults(old.signatures[0]?.returns ?? null, now.signatures[0]?.returns ?? null);
}

/** Overloads: what one of the old ones allows, one of the new ones must allow. */
function compareSignatures(old: readonly PythonSignature[], now: readonly PythonSignature[]): Verdict[] {
  const [first, ...others] = old;
  const [only, ...more] = now;
  if (first === undefined || only === undefined) return [];
  if (others.length === 0 && more.length === 0) return compareSignature(first, only);
  const lost = old.flatMap((signature) => {
    const all = now.map((candidate) => compareSignature(signature, candidate));
    const best = all.find((verdicts) => verdicts.every(({ effect }) => effect !== 'breaking' && effect !== 'unknown'));
    if (best !== undefined) return [];
    const open = all.some((verdicts) => verdicts.every(({ effect }) => effect !== 'breaking'));
    return [open ? unknown('an overload is another one') : breaking('an overload was removed')];
  });
  if (lost.length > 0) return lost.slice(0, 1);
  return now.length > old.length ? [addition('a new overload')] : [];
}

function compareSignature(old: PythonSignature, now: PythonSignature): Verdict[] {
  const calls = compareParameters(old.parameters, now.parameters);
  return [...calls, ...compareResults(old.returns, now.returns)];
}

const isPositional = ({ kind }: PythonParameter) => kind === 'positional' || kind === 'either';
const isNamed = ({ kind }: PythonParameter) => kind === 'keyword' || kind === 'either';

/** Whether each call that was right still is. */
export function compareParameters(old: readonly PythonParameter[], now: readonly PythonParameter[]): Verdict[] {
  const found: Verdict[] = [];
  const [before, after] = [old.filter(isPositional), now.filter(isPositional)];
  const byName = new Map(now.filter(isNamed).map((parameter) => [parameter.name, parameter]));
  const has = (kind: PythonParameter['kind'], list: readonly PythonParameter[]) =>
    list.some((one) => one.kind === kind);
  const partners = new Set<PythonParameter>();
  const moved: string[] = [];
  for (const [index, parameter] of before.entries()) {
    const atPlace = after[index];
    const named = byName.get(parameter.name);
    const isMoved = parameter.kind === 'either' && named !== undefined && atPlace !== named;
    const partner = parameter.kind === 'either' ? (named ?? atPlace) : atPlace;
    if (partner !== undefined) partners.add(partner);
    if (isMoved && named?.kind === 'keyword')
      found.push(breaking(`the parameter ${parameter.name} can only be given by name now`));
    else if (isMoved) moved.push(parameter.name);
    else if (atPlace === undefined && !has('rest', now))
      found.push(breaking(`the parameter ${parameter.name} was removed`));
    else if (parameter.kind === 'either' && named === undefined && !has('keywords', now))
      found.push(
        breaking(
          atPlace === undefined || atPlace.kind === 'positional'
            ? `the parameter ${parameter.name} can no longer be given by name`
            : `the parameter ${parameter.name} is called ${atPlace.name} now`,
        ),
      );
    if (partner !== undefined) found.push(...compareParameter(parameter, partner));
  }
  if (moved.length > 0) found.push(breaking(movedText(moved)));
  for (const parameter of old.filter(({ kind }) => kind === 'keyword')) {
    const partner = byName.get(parameter.name);
    if (partner !== undefined) {
      partners.add(partner);
      found.push(...compareParameter(parameter, partner));
    } else if (!has('keywords', now)) found.push(breaking(`the parameter ${parameter.name} was removed`));
  }
  for (const kind of ['rest', 'keywords'] as const) {
    const sign = kind === 'rest' ? 'more arguments than are named' : 'names that it does not list';
    if (has(kind, old) && !has(kind, now)) found.push(breaking(`it no longer takes ${sign}`));
    if (!has(kind, old) && has(kind, now)) found.push(addition(`it takes ${sign}`));
  }
  const added = now.filter(
    (parameter) => (isPositional(parameter) || parameter.kind === 'keyword') && !partners.has(parameter),
  );
  for (const { name, default: value } of added)
    found.push(
      value === null
        ? breaking(`the new parameter ${name} must be given`)
        : addition(`a new parameter that may be left out: ${name}`),
    );
  return found;
}

function movedText([first, ...others]: readonly string[]): string {
  return others.length === 0
    ? `the parameter ${first} has another place`
    : `the parameter ${first} and ${others.length} more have other places`;
}

function compareParameter(old: PythonParameter, now: PythonParameter): Verdict[] {
  const found: Verdict[] = [];
  if (old.default !== null && now.default === null) found.push(breaking(`the parameter ${now.name} must be given now`));
  else if (old.default === null && now.default !== null)
    found.push(compatible(`the parameter ${now.name} may be left out`));
  else if (old.default !== now.default && old.default !== '...' && now.default !== '...')
    found.push(unknown(`another default of ${now.name}: calls without it may do something else`));
  if (old.kind === 'positional' && now.kind === 'either')
    found.push(addition(`the parameter ${now.name} can be given by name`));
  if (old.kind === 'keyword' && now.kind === 'either')
    found.push(addition(`the parameter ${now.name} can be given by its place`));
  if (old.type === null || now.type === null) return found;
  const relation = relate(old.type, now.type);
  if (relation === 'wider') found.push(compatible(`the parameter ${now.name} takes more: ${now.type}`));
  if (relation === 'narrower' || relation === 'other')
    found.push(breaking(`the parameter ${now.name} no longer takes all of ${old.type}`));
  if (relation === 'unknown') found.push(unknown(`another type of the parameter ${now.name}`));
  return found;
}

/** @param old null where nothing is said of the result. */
export function compareResults(old: string | null, now: string | null): Verdict[] {
  if (old === null || now === null) return [];
  const relation = relate(old, now);
  if (relation === 'narrower') return [compatible(`the result is always ${now}`)];
  if (relation === 'wider' || relation === 'other') return [breaking(`the result can be something else than ${old}`)];
  return relation === 'unknown' ? [unknown('another type of the result')] : [];
}
