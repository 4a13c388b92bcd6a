import { subset, validRange } from 'semver';
import { objectOf, shownText } from '../../manifest/fields.ts';
import { isOptionalPeer, type PackageJson } from '../../manifest/package-json.ts';
import type { Difference, Effect } from '../surface.ts';
import { programsOf, type Route, routeKey } from './routes.ts';
import type { NodeTree } from './type-tree.ts';

/** Where a difference of the manifest is shown. */
const manifestEntry = 'package.json';

/** What two manifests promise their users apart from names: programs, Node.js versions, peers, systems. */
export function compareManifests(old: NodeTree, now: NodeTree): Difference[] {
  const place = { file: 'package.json', line: 1 };
  const make = (name: string, [effect, why]: Verdict, sides: Sides): Difference => ({
    name,
    entry: manifestEntry,
    effect,
    why,
    ...sides,
    oldPlace: sides.old === null ? null : place,
    newPlace: sides.new === null ? null : place,
  });
  return [
    ...comparePrograms(old, now, make),
    ...compareFields('engines', old.manifest, now.manifest).map(({ name, sides }) =>
      make(`engines.${name}`, rangeVerdict(sides, 'versions that it runs on'), sides),
    ),
    ...compareFields('peerDependencies', old.manifest, now.manifest).map(({ name, sides }) =>
      make(`peerDependencies.${name}`, peerVerdict(name, sides, now.manifest), sides),
    ),
    ...optionalPeers(old.manifest, now.manifest).map(({ name, sides }) =>
      make(`peerDependencies.${name}`, ['breaking', 'users may no longer leave it out'], sides),
    ),
    ...(['os', 'cpu'] as const).flatMap((field) => compareSystems(field, [old.manifest, now.manifest], make)),
  ];
}

type Sides = { readonly old: string | null; readonly new: string | null };
type Verdict = readonly [Effect, string];
type Make = (name: string, verdict: Verdict, sides: Sides) => Difference;

function comparePrograms(old: NodeTree, now: NodeTree, make: Make): Difference[] {
  const [before, after] = [programsOf(old), programsOf(now)];
  return [
    ...[...before]
      .filter(([name]) => !after.has(name))
      .map(([name, file]) => make(`bin.${name}`, ['breaking', 'the program was removed'], { old: file, new: null })),
    ...[...after]
      .filter(([name]) => !before.has(name))
      .map(([name, file]) => make(`bin.${name}`, ['addition', 'new program'], { old: null, new: file })),
  ];
}

function compareFields(field: string, old: PackageJson, now: PackageJson): { name: string; sides: Sides }[] {
  const [before, after] = [objectOf(old[field]), objectOf(now[field])];
  const textAt = (fields: Readonly<Record<string, unknown>>, name: string) =>
    Object.hasOwn(fields, name) ? shownText(fields[name]) : null;
  return [...new Set([...Object.keys(before), ...Object.keys(after)])]
    .map((name) => ({ name, sides: { old: textAt(before, name), new: textAt(after, name) } }))
    .filter(({ sides }) => sides.old !== sides.new);
}

/** Whether a range takes in all of another one. */
function rangeVerdict({ old, new: now }: Sides, what: string): Verdict {
  if (now === null) return ['compatible', `it no longer limits the ${what}`];
  if (old === null) return ['unknown', `it limits the ${what} for the first time`];
  if (validRange(old) === null || validRange(now) === null) return ['unknown', 'not a range that can be compared'];
  return subset(old, now) ? ['compatible', 'a wider range'] : ['breaking', 'some versions are no longer in the range'];
}

function peerVerdict(name: string, sides: Sides, now: PackageJson): Verdict {
  if (sides.old === null)
    return isOptionalPeer(now, name)
      ? ['addition', 'new optional peer dependency']
      : ['breaking', 'new peer dependency: users must install it'];
  if (sides.new === null) return ['compatible', 'users need not install it for this package'];
  return rangeVerdict(sides, 'versions');
}

function optionalPeers(old: PackageJson, now: PackageJson): { name: string; sides: Sides }[] {
  return Object.entries(objectOf(now['peerDependencies']))
    .filter(([name]) => Object.hasOwn(objectOf(old['peerDependencies']), name))
    .filter(([name]) => isOptionalPeer(old, name) && !isOptionalPeer(now, name))
    .map(([name, range]) => ({ name, sides: { old: 'optional', new: shownText(range) } }));
}

function compareSystems(
  field: 'os' | 'cpu',
  [old, now]: readonly [PackageJson, PackageJson],
  make: Make,
): Difference[] {
  const listIn = (manifest: PackageJson) => [manifest[field] ?? []].flat().map(shownText);
  const [before, after] = [listIn(old), listIn(now)];
  const sides = { old: before.join(', ') || null, new: after.join(', ') || null };
  if (sides.old === sides.new) return [];
  const isWider = after.length === 0 || (before.length > 0 && before.every((name) => after.includes(name)));
  const verdict: Verdict = isWider
    ? ['compatible', 'it can be installed on more systems']
    : ['breaking', 'it can be installed on fewer systems'];
  return [make(field, verdict, sides)];
}

/** Entries, ways of loading and conditions that are no longer there, and new entries. */
export function compareRoutes(
  old: readonly Route[],
  now: readonly Route[],
  isModule: { readonly old: (code: string) => boolean; readonly new: (code: string) => boolean },
): Difference[] {
  const after = new Map(now.map((route) => [routeKey(route), route]));
  const usual = new Map(now.filter(({ condition }) => condition === null).map((route) => [routeKey(route), route]));
  const gone = (route: Route, why: string): Difference => ({
    name: route.entry,
    entry: route.entry,
    effect: 'breaking',
    old: fileOf(route),
    new: null,
    why,
    oldPlace: placeOf(route),
    newPlace: null,
  });
  const entriesNow = new Set(now.filter(isThere).map(({ entry }) => entry));
  const removed = [...new Set(old.filter(isThere).map(({ entry }) => entry))].filter((entry) => !entriesNow.has(entry));
  const lost = old.filter(isThere).flatMap((route): Difference[] => {
    if (!entriesNow.has(route.entry) || route.code === null) return [];
    const same = after.get(routeKey(route));
    const way = route.mode === 'import' ? 'import' : 'require()';
    if (route.condition === null) {
      if (same?.code === null || same === undefined) return [gone(route, `it can no longer be loaded by ${way}`)];
      const isLost = route.mode === 'require' && !isModule.old(route.code) && isModule.new(same.code);
      return isLost
        ? [{ ...gone(route, 'require() finds an ES module now'), new: same.code, newPlace: placeOf(same) }]
        : [];
    }
    // A condition that led where everyone is led says nothing.
    const plain = old.find(
      ({ entry, mode, condition }) => entry === route.entry && mode === route.mode && condition === null,
    );
    if (plain?.code === route.code || same !== undefined) return [];
    const fallback = usual.get(routeKey({ ...route, condition: null }));
    const why = `the condition or field "${route.condition}" was removed`;
    return [{ ...gone(route, why), name: `${route.entry} (${route.condition})`, new: fallback?.code ?? null }];
  });
  const before = new Set(old.filter(isThere).map(({ entry }) => entry));
  const added = [...entriesNow].filter((entry) => !before.has(entry));
  return [
    ...removed
      .flatMap((entry) => old.filter((route) => route.entry === entry && isThere(route)).slice(0, 1))
      .map((route) => gone(route, 'the entry was removed')),
    ...lost,
    ...added.flatMap((entry) =>
      now
        .filter((route) => route.entry === entry && isThere(route))
        .slice(0, 1)
        .map(
          (route): Difference => ({
            ...gone(route, 'new entry'),
            effect: 'addition',
            old: null,
            new: fileOf(route),
            oldPlace: null,
            newPlace: placeOf(route),
          }),
        ),
    ),
  ];
}

const isThere = ({ code, types }: Route) => code !== null || types !== null;
const fileOf = ({ code, types }: Route) => code ?? types;

function placeOf(route: Route) {
  const file = fileOf(route);
  return file === null ? null : { file, line: 1 };
}
