import { objectOf, textOf } from '../../core/manifest/fields.ts';
import type { ShownPackage } from '../../core/page/registry-page.ts';
import { compareVersions, isVersion } from '../../core/version/version.ts';
import type { Store } from '../store.ts';
import type { StoredPackage } from './stored-package.ts';

/** A package as its page shows it; null when there is none. */
export async function readNpmPage(store: Store, name: string): Promise<ShownPackage | null> {
  const stored = await store.readJson<StoredPackage>(name, 'document');
  if (stored === null) return null;
  const latest = stored['dist-tags']['latest'] ?? Object.keys(stored.versions).at(-1) ?? '';
  return {
    speaks: 'npm-registry',
    name,
    version: latest,
    description: textOf(stored.description) ?? '',
    readme: textOf(stored.readme),
    pointers: Object.entries(stored['dist-tags']),
    files: byVersion(Object.keys(stored.versions)).map((version) => {
      const manifest = objectOf(stored.versions[version]);
      const note = textOf(manifest['deprecated']);
      return {
        version,
        file: `${name.split('/').at(-1)}-${version}.tgz`,
        digest: textOf(objectOf(manifest['dist'])['integrity']) ?? '',
        note: note === null ? null : `deprecated: ${note}`,
      };
    }),
  };
}

function byVersion(versions: readonly string[]): string[] {
  return versions.filter(isVersion).sort((a, b) => compareVersions(b, a));
}
