import { objectOf, objectsOf, textOf } from '../../manifest/fields.ts';
import { compareVersions, isVersion } from '../../version/version.ts';
import { addition, breaking, compareFields, compatible, plainDifference } from '../items.ts';
import type { SurfaceSource } from '../reader.ts';
import type { Difference } from '../surface.ts';

type Json = Readonly<Record<string, unknown>>;

/** Features with what each turns on; optional dependencies are features of their name, too (The Cargo Book, "Features"). */
export function featuresOf({ manifest }: Pick<SurfaceSource, 'manifest'>): Map<string, readonly string[]> {
  const features = new Map(
    Object.entries(objectOf(manifest?.['features'])).map(([name, list]) => [
      name,
      [list].flat().filter((one) => typeof one === 'string'),
    ]),
  );
  const named = new Set(
    [...features.values()]
      .flat()
      .filter((one) => one.startsWith('dep:'))
      .map((one) => one.slice(4)),
  );
  for (const [name, dependency] of Object.entries(objectOf(manifest?.['dependencies'])))
    if (objectOf(dependency)['optional'] === true && !named.has(name) && !features.has(name)) features.set(name, []);
  return features;
}

/** What is on without a word. */
export function defaultFeatures(features: ReadonlyMap<string, readonly string[]>): Set<string> {
  const found = new Set<string>();
  const open = ['default'];
  for (let next = open.pop(); next !== undefined; next = open.pop()) {
    if (found.has(next)) continue;
    found.add(next);
    open.push(...(features.get(next) ?? []).filter((name) => features.has(name)));
  }
  found.delete('default');
  return found;
}

/** Programs that `cargo install` makes. */
export function rustPrograms({ manifest, paths }: SurfaceSource): Map<string, string> {
  const listed = objectsOf(manifest?.['bin']).map(
    (bin) => [textOf(bin['name']) ?? '', textOf(bin['path']) ?? ''] as const,
  );
  const name = crateName(manifest);
  const usual = listed.length === 0 && paths.includes('src/main.rs') ? [[name, 'src/main.rs'] as const] : [];
  return new Map([...listed, ...usual].filter(([program]) => program !== ''));
}

const crateName = (manifest: Json | null) => textOf(objectOf(manifest?.['package'])['name']) ?? '';

/** Features, programs and the oldest Rust of two crates. */
export function compareCrateManifests(old: SurfaceSource, now: SurfaceSource): Difference[] {
  const place = { file: 'Cargo.toml', line: 1 };
  const at = (what: string) => (name: string) => ({ name: `${what} ${name}`, entry: 'Cargo.toml', place });
  const [before, after] = [featuresOf(old), featuresOf(now)];
  const texts = (names: Iterable<string>) =>
    new Map([...names].filter((name) => name !== 'default').map((name) => [name, name]));
  const [on, off] = [defaultFeatures(before), defaultFeatures(after)];
  const still = (names: Iterable<string>) => texts([...names].filter((name) => before.has(name) && after.has(name)));
  const plain = { removed: () => breaking('it was removed'), added: () => addition('new') };
  return [
    ...compareFields([texts(before.keys()), texts(after.keys())], at('feature'), plain),
    ...compareFields([still(on), still(off)], at('default feature'), {
      removed: () => breaking('it is no longer on by default'),
      added: () => compatible('it is on by default'),
    }),
    ...compareFields([rustPrograms(old), rustPrograms(now)], at('program'), plain),
    ...compareToolchains(old.manifest, now.manifest, { name: 'rust-version', entry: 'Cargo.toml', place }),
  ];
}

function compareToolchains(
  old: Json | null,
  now: Json | null,
  at: Parameters<typeof plainDifference>[0],
): Difference[] {
  const version = (manifest: Json | null) => textOf(objectOf(manifest?.['package'])['rust-version']);
  const sides = { old: version(old), new: version(now) };
  const whole = (text: string) => [...text.split('.'), '0', '0'].slice(0, 3).join('.');
  if (sides.old === sides.new) return [];
  if (sides.new === null) return [plainDifference(at, compatible('it no longer names the oldest Rust'), sides)];
  if (sides.old === null)
    return [plainDifference(at, { effect: 'unknown', why: 'it names the oldest Rust for the first time' }, sides)];
  const [before, after] = [whole(sides.old), whole(sides.new)];
  if (!isVersion(before) || !isVersion(after)) return [];
  const isNewer = compareVersions(after, before) > 0;
  return [
    plainDifference(
      at,
      isNewer
        ? breaking('older versions of Rust no longer compile it')
        : compatible('older versions of Rust compile it'),
      sides,
    ),
  ];
}
