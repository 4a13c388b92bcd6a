import { objectOf, shownText, textOf } from '../../manifest/fields.ts';
import { parsePackageJson } from '../../manifest/package-json.ts';
import { checkedDigest } from '../digest.ts';
import { type DependencyReader, dependencyReading, type LockedPackage, lockedPackage, type Need } from './reading.ts';

type Json = Readonly<Record<string, unknown>>;

/** `packages.lock.json` of .NET, every target framework in it (the package manager's reference, "Locking dependencies"). */
export const readNugetLock: DependencyReader = (text, { file }) => {
  const lock = parsePackageJson(text, file);
  if (lock['version'] !== 1 && lock['version'] !== 2) return null;
  const packages = new Map<string, LockedPackage>();
  const direct = new Map<string, Need>();
  const asked = new Map<string, string | null>();
  const unknown: string[] = [];
  for (const [framework, value] of Object.entries(objectOf(lock['dependencies']))) {
    const table = new Map(
      Object.entries(objectOf(value)).map(([name, raw]) => [name.toLowerCase(), { name, entry: objectOf(raw) }]),
    );
    const find = (name: string) => {
      const found = table.get(name.toLowerCase());
      if (found === undefined) unknown.push(`${file} has no entry for ${name} under ${framework}`);
      return found === undefined ? [] : [{ key: keyOf(found), kind: 'run' as const }];
    };
    for (const { name, entry } of table.values()) {
      const needs = Object.keys(objectOf(entry['dependencies'])).flatMap(find);
      // A project of the same solution: what it needs is needed here.
      if (shownText(entry['type']).toLowerCase() === 'project') {
        for (const need of needs) if (!direct.has(need.key)) direct.set(need.key, { ...need, isIndirect: true });
        continue;
      }
      const key = keyOf({ name, entry });
      if (entry['type'] === 'Direct') {
        direct.set(key, { key, kind: 'run' });
        asked.set(name, null);
      }
      packages.set(key, united(packages.get(key), toPackage({ key, name, entry, framework, needs })));
    }
  }
  return dependencyReading({
    format: 'packages.lock.json',
    packages: [...packages.values()],
    roots: new Map([['', [...direct.values()]]]),
    asked: new Map([['', asked]]),
    unknown,
  });
};

function keyOf({ name, entry }: { readonly name: string; readonly entry: Json }): string {
  return `${name} ${shownText(entry['resolved'])}`;
}

function toPackage({
  key,
  name,
  entry,
  framework,
  needs,
}: {
  readonly key: string;
  readonly name: string;
  readonly entry: Json;
  readonly framework: string;
  readonly needs: readonly Need[];
}): LockedPackage {
  const hash = textOf(entry['contentHash']);
  const { digests } = checkedDigest('sha512', hash === null ? null : Buffer.from(hash, 'base64').toString('hex'));
  return lockedPackage({
    key,
    type: 'nuget',
    name,
    version: textOf(entry['resolved']),
    digests,
    badDigest: hash !== null && digests.length === 0 ? hash : null,
    needs,
    comment: `for ${framework}`,
  });
}

/** The same package under another target framework may need more. */
function united(known: LockedPackage | undefined, fresh: LockedPackage): LockedPackage {
  if (known === undefined) return fresh;
  const needs = [...new Map([...known.needs, ...fresh.needs].map((need) => [need.key, need])).values()];
  return { ...fresh, needs, comment: `${known.comment}, ${fresh.comment?.replace(/^for /, '')}` };
}
