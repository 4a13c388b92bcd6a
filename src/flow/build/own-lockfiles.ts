import path from 'node:path';
import { ecosystemDefinitions } from '../../core/ecosystem/definitions.ts';
import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { ownLockfile } from '../../core/manifest/lockfile/formats.ts';
import type { OwnPackage } from '../../core/manifest/lockfile/own-entry.ts';
import type { Ecosystem } from '../../core/name/ecosystem.ts';
import { readTextIfThere } from '../../world/files.ts';
import { placeInside } from '../../world/place-inside.ts';
import type { Package } from '../workspace/workspace.ts';
import { manifestVersion, placesIn, rangesOf, type StampJob } from './stamp.ts';

/** A manifest of the workspace that was changed. */
export type ChangedManifest = OwnPackage & { readonly ecosystem: Ecosystem; readonly file: string };

/**
 * Brings the lockfiles of a checkout up to date with the version that was written into it, so that steps which insist on a lockfile
 * that fits find one. A lockfile that cannot be brought up to date stays as it is; a release says why.
 * @returns the lockfiles that were changed, as paths in the repository.
 */
export async function lockStamped(job: StampJob, files: ReadonlySet<string>): Promise<string[]> {
  const { survey, versions, checkout } = job;
  const others = survey.workspace.packages.filter(({ index }) => index !== job.pkg.index && versions.has(index));
  const own = await sourcesOf(job, files);
  const changed = [changedManifest(job.pkg, job)];
  for (const pkg of own.size === 0 ? [] : others)
    if ([...(await sourcesOf({ pkg, checkout }, files))].some((place) => own.has(place)))
      changed.push(changedManifest(pkg, job));
  try {
    const manifests = changed.flatMap((manifest) => manifest ?? []);
    return await updateLockfiles(job, files, manifests);
  } catch (error) {
    if (isBevelstoneError(error, 'LOCKFILE_UNKNOWN', 'LOCKFILE_PINS')) return [];
    throw error;
  }
}

/** Places that decide on the version of a package, which several may share. */
async function sourcesOf(job: Pick<StampJob, 'pkg' | 'checkout'>, files: ReadonlySet<string>): Promise<Set<string>> {
  const places = await placesIn(job, files);
  return new Set(places.filter(({ isSource }) => isSource).map(({ file, what }) => `${file}\n${what}`));
}

/** The manifest of a package at its new version, as lockfiles need to know it; null for a package without one. */
export function changedManifest(
  pkg: Package,
  { survey, versions }: Pick<StampJob, 'survey' | 'versions'>,
): ChangedManifest | null {
  const { ecosystem, folder, manifestPath, fullName, index } = pkg;
  const version = versions.get(index);
  if (manifestPath === null || version === undefined) return null;
  const { isWorkspaceRange } = ecosystemDefinitions[ecosystem].ranges;
  const ranges = rangesOf(pkg, versions, survey).filter(({ from }) => !isWorkspaceRange(from));
  return {
    ecosystem,
    file: manifestPath,
    name: fullName,
    folder,
    version: manifestVersion(pkg, version, survey),
    ranges,
  };
}

/**
 * Brings the lockfiles of a checkout up to date that record packages of the workspace.
 * @returns the lockfiles that were changed, as paths in the repository.
 * @throws LOCKFILE_UNKNOWN, LOCKFILE_PINS.
 */
export async function updateLockfiles(
  { checkout, write }: Pick<StampJob, 'checkout' | 'write'>,
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
    await write(place, updated);
    changed.push(file);
  }
  return changed;
}
