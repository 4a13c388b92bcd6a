import { objectOf, shownText, textOf } from '../../manifest/fields.ts';
import { parsePackageJson } from '../../manifest/package-json.ts';
import { hexDigest } from '../digest.ts';
import { type DependencyReader, type LockedPackage, lockedPackage } from './reading.ts';

/** `packages.lock.json` of .NET, every target framework in it (the package manager's reference, "Locking dependencies"). */
export const readNugetLock: DependencyReader = (text, { file }) => {
  const lock = parsePackageJson(text, file);
  if (lock['version'] !== 1 && lock['version'] !== 2) return null;
  const packages = new Map<string, LockedPackage>();
  const direct = new Set<string>();
  for (const [framework, value] of Object.entries(objectOf(lock['dependencies']))) {
    const table = objectOf(value);
    for (const [name, raw] of Object.entries(table)) {
      const entry = objectOf(raw);
      if (shownText(entry['type']).toLowerCase() === 'project') continue;
      const key = `${name} ${shownText(entry['resolved'])}`;
      if (entry['type'] === 'Direct') direct.add(key);
      const needs = Object.keys(objectOf(entry['dependencies'])).flatMap((key) => {
        const found = Object.entries(table).find(([other]) => other.toLowerCase() === key.toLowerCase());
        return found === undefined
          ? []
          : [{ key: `${found[0]} ${shownText(objectOf(found[1])['resolved'])}`, kind: 'run' as const }];
      });
      const digest = hexDigest('sha512', Buffer.from(textOf(entry['contentHash']) ?? '', 'base64').toString('hex'));
      const known = packages.get(key);
      const merged = [...new Map([...(known?.needs ?? []), ...needs].map((need) => [need.key, need])).values()];
      const comment = known === undefined ? `for ${framework}` : `${known.comment}, ${framework}`;
      packages.set(
        key,
        lockedPackage({
          key,
          type: 'nuget',
          name,
          version: textOf(entry['resolved']),
          digests: digest === null ? [] : [digest],
          needs: merged,
          comment,
        }),
      );
    }
  }
  const roots = new Map([['', [...direct].map((key) => ({ key, kind: 'run' as const }))]]);
  return { format: 'packages.lock.json', packages: [...packages.values()], roots, unknown: [] };
};
