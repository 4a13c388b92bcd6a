import type { ShownPackage } from '../../core/page/registry-page.ts';
import type { Store } from '../store.ts';
import type { StoredNuget } from './stored-nuget.ts';

/** A package as its page shows it; null when there is none. */
export async function readNugetPage(store: Store, name: string): Promise<ShownPackage | null> {
  const stored = await store.readJson<StoredNuget>(name, 'package');
  if (stored === null) return null;
  const last = stored.versions.at(-1);
  return {
    speaks: 'nuget-v3',
    name: stored.id,
    version: last?.version ?? '',
    description: last?.description ?? '',
    readme: null,
    pointers: [],
    files: [...stored.versions].reverse().map(({ version, sha256, isListed }) => ({
      version,
      file: `${stored.id}.${version}.nupkg`,
      digest: `sha256:${sha256}`,
      note: isListed ? null : 'unlisted',
    })),
  };
}
