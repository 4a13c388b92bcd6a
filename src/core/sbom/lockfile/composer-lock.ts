import { objectOf, objectsOf, textOf } from '../../manifest/fields.ts';
import { parsePackageJson } from '../../manifest/package-json.ts';
import { checkedDigest } from '../digest.ts';
import type { DependencyKind } from '../sbom.ts';
import { type DependencyReader, dependencyReading, type LockedPackage, lockedPackage, type Need } from './reading.ts';

type Json = Readonly<Record<string, unknown>>;

/** Names that stand for the interpreter and its extensions, not for packages. */
const platform = /^(?:php(?:-\w+)?|hhvm|ext-.+|lib-.+|composer(?:-.+-api|-plugin-api|-runtime-api)?)$/;

/** `composer.lock` with the `composer.json` beside it, which says what is needed directly. */
export const readComposerLock: DependencyReader = (text, { file, beside }) => {
  const lock = parsePackageJson(text, file);
  if (!Array.isArray(lock['packages'])) return null;
  const shipped = objectsOf(lock['packages']);
  const entries = [...shipped, ...objectsOf(lock['packages-dev'])];
  const holders = new Map<string, string[]>();
  const hold = (name: string, key: string) => {
    const known = holders.get(name.toLowerCase());
    if (known === undefined) holders.set(name.toLowerCase(), [key]);
    else if (!known.includes(key)) known.push(key);
  };
  for (const entry of entries) {
    const key = nameOf(entry);
    hold(key, key);
    // A package may stand for another one.
    for (const field of ['replace', 'provide']) for (const name of Object.keys(objectOf(entry[field]))) hold(name, key);
  }
  const unknown: string[] = [];
  const needs = (table: unknown, kind: DependencyKind, by: string): Need[] =>
    Object.keys(objectOf(table))
      .filter((name) => !platform.test(name))
      .flatMap((name) => {
        const keys = holders.get(name.toLowerCase()) ?? [];
        if (keys.length === 0) unknown.push(`${file} has no entry for ${name}, which ${by} needs`);
        return keys.map((key) => ({ key, kind }));
      });
  const packages = entries.map((entry) => toPackage(entry, needs(entry['require'], 'run', nameOf(entry))));
  const manifestText = beside('composer.json');
  const manifest = manifestText === null ? null : parsePackageJson(manifestText, file.replace(/\.lock$/, '.json'));
  const roots =
    manifest === null
      ? entries.map((entry): Need => ({ key: nameOf(entry), kind: shipped.includes(entry) ? 'run' : 'development' }))
      : [
          ...needs(manifest['require'], 'run', 'composer.json'),
          ...needs(manifest['require-dev'], 'development', 'composer.json'),
        ];
  if (manifest === null && entries.length > 0)
    unknown.push(`${file} does not say which of its packages are needed directly, and no composer.json beside it does`);
  return dependencyReading({ format: 'composer lockfile', packages, roots: new Map([['', roots]]), unknown });
};

function nameOf(entry: Json): string {
  return (textOf(entry['name']) ?? '?').toLowerCase();
}

function toPackage(entry: Json, needs: readonly Need[]): LockedPackage {
  const dist = objectOf(entry['dist']);
  const sum = textOf(dist['shasum']);
  const licences = [entry['license'] ?? []].flat().flatMap((item) => textOf(item) ?? []);
  return lockedPackage({
    key: nameOf(entry),
    type: 'composer',
    name: nameOf(entry),
    version: textOf(entry['version']),
    ...checkedDigest('sha1', sum),
    location: textOf(dist['url']) ?? textOf(objectOf(entry['source'])['url']),
    // Several licences in the list are a choice (the schema of composer.json, "license").
    licence:
      licences.length === 0 ? null : licences.length === 1 ? (licences[0] ?? null) : `(${licences.join(' OR ')})`,
    needs,
  });
}
