import { objectOf, shownText, textOf } from '../../manifest/fields.ts';
import { parsePackageJson } from '../../manifest/package-json.ts';
import { integrityDigests } from '../digest.ts';
import type { DependencyKind } from '../sbom.ts';
import { type DependencyReader, type LockedPackage, lockedPackage, type Need } from './reading.ts';

/** `package-lock.json` and `npm-shrinkwrap.json` of lockfileVersion 2 and 3 (the npm client's documentation, "package-lock.json"). */
export const readNpmLock: DependencyReader = (text, { file }) => {
  const lock = parsePackageJson(text, file);
  const entries = objectOf(lock['packages']);
  if (lock['packages'] === undefined) return null;
  const find = (path: string) => (entries[path] === undefined ? null : objectOf(entries[path]));
  const packages: LockedPackage[] = [];
  const roots = new Map<string, Need[]>();
  for (const [path, value] of Object.entries(entries)) {
    const entry = objectOf(value);
    const isOwn = !/(?:^|\/)node_modules\//.test(path);
    if (isOwn) {
      roots.set(path, needsOf({ entry, from: path, find, isRoot: true }));
      continue;
    }
    if (entry['link'] === true) continue;
    const name = textOf(entry['name']) ?? path.slice(path.lastIndexOf('node_modules/') + 13);
    packages.push(
      lockedPackage({
        key: path,
        type: 'npm',
        name,
        version: textOf(entry['version']),
        digests: integrityDigests(textOf(entry['integrity'])),
        location: textOf(entry['resolved']),
        licence: textOf(entry['license']),
        needs: needsOf({ entry, from: path, find, isRoot: false }),
        installedAt: path,
      }),
    );
  }
  const unknown = packages.flatMap(({ key, version }) =>
    version === null ? [`${file} gives no version for ${key}`] : [],
  );
  return { format: `npm lockfile ${shownText(lock['lockfileVersion'])}`, packages, roots, unknown };
};

type Find = (path: string) => Readonly<Record<string, unknown>> | null;

const fields: readonly (readonly [string, DependencyKind])[] = [
  ['dependencies', 'run'],
  ['optionalDependencies', 'optional'],
  ['peerDependencies', 'peer'],
  ['devDependencies', 'development'],
];

function needsOf({
  entry,
  from,
  find,
  isRoot,
}: {
  readonly entry: Readonly<Record<string, unknown>>;
  readonly from: string;
  readonly find: Find;
  readonly isRoot: boolean;
}): Need[] {
  const optional = objectOf(entry['optionalDependencies']);
  return fields
    .filter(([, kind]) => isRoot || kind !== 'development')
    .flatMap(([field, kind]) =>
      Object.keys(objectOf(entry[field])).flatMap((name): Need[] => {
        if (field === 'dependencies' && name in optional) return [];
        const key = locate(name, from, find);
        return key === null ? [] : [{ key, kind }];
      }),
    );
}

/** The nearest `node_modules/NAME` on the way up from a path; null for none, and for a link to first-party code. */
function locate(name: string, from: string, find: Find): string | null {
  for (let folder = from; ; folder = folder.includes('/') ? folder.slice(0, folder.lastIndexOf('/')) : '') {
    const path = folder === '' ? `node_modules/${name}` : `${folder}/node_modules/${name}`;
    const found = find(path);
    if (found !== null) return found['link'] === true ? null : path;
    if (folder === '') return null;
  }
}
