import type { ShownPackage } from '../../core/page/registry-page.ts';
import type { Store } from '../store.ts';
import type { StoredProject } from './stored-project.ts';

/** A project as its page shows it; null when there is none. */
export async function readPythonPage(store: Store, name: string): Promise<ShownPackage | null> {
  const stored = await store.readJson<StoredProject>(name, 'project');
  if (stored === null) return null;
  return {
    speaks: 'python-index',
    name,
    version: stored.files.at(-1)?.version ?? '',
    description: stored.summary,
    readme: stored.description === '' ? null : stored.description,
    pointers: [],
    files: [...stored.files].reverse().map(({ version, filename, sha256, yanked }) => ({
      version,
      file: filename,
      digest: `sha256:${sha256}`,
      note: yanked === false ? null : `yanked: ${yanked}`,
    })),
  };
}
