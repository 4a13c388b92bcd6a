import path from 'node:path';
import { ownLockfile } from '../../core/manifest/lockfile/formats.ts';
import { readTextIfThere, writeWhole } from '../../world/files.ts';
import { placeInside } from '../../world/place-inside.ts';
import type { ChangedManifest } from './member-ranges.ts';

/**
 * Brings the lockfiles of a checkout up to date that record packages of the workspace.
 * @returns the lockfiles that were changed, as paths in the repository.
 * @throws LOCKFILE_UNKNOWN, LOCKFILE_PINS.
 */
export async function updateLockfiles(
  checkout: string,
  files: ReadonlySet<string>,
  manifests: readonly ChangedManifest[],
): Promise<string[]> {
  const changed: string[] = [];
  for (const file of files) {
    const lockfile = ownLockfile(file);
    if (lockfile === null || /(?:^|\/)node_modules\//.test(file)) continue;
    const top = path.posix.dirname(file) === '.' ? '' : path.posix.dirname(file);
    const own = manifests.flatMap((manifest) => {
      const folder = path.posix.relative(top, manifest.folder);
      return manifest.ecosystem !== lockfile.ecosystem || folder.startsWith('..') ? [] : [{ ...manifest, folder }];
    });
    if (own.length === 0) continue;
    const place = await placeInside(checkout, file, file);
    const text = (await readTextIfThere(place)) ?? '';
    const updated = lockfile.update(text, own, file);
    if (updated === text) continue;
    await writeWhole(place, updated);
    changed.push(file);
  }
  return changed;
}
