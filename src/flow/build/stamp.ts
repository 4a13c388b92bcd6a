import path from 'node:path';
import type { StampConfig } from '../../core/config/config.ts';
import { ecosystemDefinitions } from '../../core/ecosystem/definitions.ts';
import { findVersionPlaces } from '../../core/ecosystem/version-places.ts';
import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { noMatch, stampByRule } from '../../core/manifest/stamp-rule.ts';
import { stampHeader } from '../../core/manifest/version-header.ts';
import type { VersionPlace } from '../../core/manifest/version-place/place.ts';
import { spell } from '../../core/version/spelling.ts';
import { readTextIfThere } from '../../world/files.ts';
import { placeInside, readInside } from '../../world/place-inside.ts';
import type { Survey } from '../survey/survey.ts';
import type { Package } from '../workspace/workspace.ts';
import type { BuildJob } from './build-job.ts';

/**
 * Writes the version into the checkout: the manifest, with the ranges of workspace packages that are released with it, the
 * places that the ecosystem's rules name, headers of C libraries, and whatever `stamp` names.
 * @param files of the commit, as paths in the repository.
 * @returns files that now carry the version, as paths in the repository.
 */
export async function stampCheckout(job: BuildJob, files: ReadonlySet<string>): Promise<Set<string>> {
  const stamped = await stampOwn(job, files, 'built');
  for (const rule of job.pkg.config.stamp) {
    const { text, changed, file } = await applyRule(job, rule);
    if (changed !== text) await job.write(file, changed);
    stamped.add(path.posix.join(job.pkg.folder, rule.file));
  }
  return stamped;
}

/** What writing a version down needs to know. */
export type StampJob = Pick<BuildJob, 'pkg' | 'version' | 'versions' | 'survey' | 'folder' | 'checkout' | 'write'>;

/**
 * Writes the version down where the repository keeps it: the same places, and the files of `stamp` whose rule finds its place
 * again the next time. Ranges that the workspace resolves stay as they are.
 * @returns files that were changed, as paths in the repository, and the files of `stamp` that only a build can fill in.
 */
export async function recordVersion(
  job: StampJob,
  files: ReadonlySet<string>,
): Promise<{ readonly changed: ReadonlySet<string>; readonly onlyBuilt: readonly string[] }> {
  const changed = await stampOwn(job, files, 'recorded');
  const onlyBuilt: string[] = [];
  for (const rule of job.pkg.config.stamp) {
    const applied = await applyRule(job, rule);
    // A commit cannot hold its own id, and a placeholder that is gone could not be filled in again.
    if (rule.write.includes('{commit}') || !isRepeatable(applied.changed, rule, job)) onlyBuilt.push(rule.file);
    else if (applied.changed !== applied.text) {
      await job.write(applied.file, applied.changed);
      changed.add(path.posix.join(job.pkg.folder, rule.file));
    }
  }
  return { changed, onlyBuilt };
}

async function stampOwn(job: StampJob, files: ReadonlySet<string>, use: 'built' | 'recorded'): Promise<Set<string>> {
  const stamped = new Set<string>();
  const inside = (file: string) => path.posix.join(job.pkg.folder, file);
  const places = await placesIn(job, files);
  const isStatic = use === 'built' && !places.some(({ isSource }) => isSource);
  const manifest = await stampManifest(job, { use, isStatic });
  if (manifest !== null) stamped.add(inside(manifest));
  await stampPlaces(job, places, stamped);
  await stampHeaders(job, files, stamped);
  return stamped;
}

async function applyRule(job: StampJob, rule: StampConfig): Promise<{ file: string; text: string; changed: string }> {
  const file = await placeInside(job.folder, rule.file, `${rule.file} of \`stamp\``);
  const text = await readTextIfThere(file);
  if (text === null) throw noMatch(rule, 'there is no such file in the folder of the package');
  return { file, text, changed: stampByRule(text, rule, { version: job.version, commit: job.survey.commit }) };
}

function isRepeatable(changed: string, rule: StampConfig, job: StampJob): boolean {
  try {
    return stampByRule(changed, rule, { version: job.version, commit: job.survey.commit }) === changed;
  } catch (error) {
    if (isBevelstoneError(error, 'STAMP_NO_MATCH')) return false;
    throw error;
  }
}

/** Where a package keeps its version, in a checkout. */
export function placesIn(
  { pkg, checkout }: Pick<StampJob, 'pkg' | 'checkout'>,
  files: ReadonlySet<string>,
): Promise<VersionPlace[]> {
  return findVersionPlaces(pkg.ecosystem, {
    folder: pkg.folder,
    name: pkg.fullName,
    manifestPath: pkg.manifestPath,
    files,
    read: (file) => readInside(checkout, path.join(checkout, file), file),
  });
}

async function stampPlaces(job: StampJob, places: readonly VersionPlace[], stamped: Set<string>): Promise<void> {
  const stamp = { version: job.version, spelt: manifestVersion(job.pkg, job.version, job.survey) };
  for (const place of places)
    await edit({ job, file: place.file, stamped, change: (text) => place.stamp(text, stamp) });
}

async function stampHeaders(job: StampJob, files: ReadonlySet<string>, stamped: Set<string>): Promise<void> {
  const { versionHeaders } = ecosystemDefinitions[job.pkg.ecosystem];
  if (versionHeaders === null) return;
  const prefix = job.pkg.folder === '' ? '' : `${job.pkg.folder}/`;
  for (const file of files) {
    if (!file.startsWith(prefix) || !versionHeaders.test(file)) continue;
    await edit({ job, file, stamped, change: (text) => stampHeader(text, job.pkg.name, job.version) });
  }
}

/** Changes a file of the checkout. @param file path in the repository. */
async function edit({
  job,
  file,
  stamped,
  change,
}: {
  readonly job: StampJob;
  readonly file: string;
  readonly stamped: Set<string>;
  readonly change: (text: string) => string;
}): Promise<void> {
  const place = await placeInside(job.checkout, file, file);
  const text = (await readTextIfThere(place)) ?? '';
  const changed = change(text);
  if (changed === text) return;
  await job.write(place, changed);
  stamped.add(file);
}

async function stampManifest(
  { pkg, version, versions, survey, folder, write }: StampJob,
  { use, isStatic }: { readonly use: 'built' | 'recorded'; readonly isStatic: boolean },
): Promise<string | null> {
  if (pkg.format === null || pkg.manifestPath === null) return null;
  const inside = path.posix.relative(pkg.folder, pkg.manifestPath);
  const file = await placeInside(folder, inside, 'the manifest');
  const text = await readTextIfThere(file);
  if (text === null) return null;
  const { isWorkspaceRange } = ecosystemDefinitions[pkg.ecosystem].ranges;
  const ranges = rangesOf(pkg, versions, survey).filter(({ from }) => use === 'built' || !isWorkspaceRange(from));
  const spelt = manifestVersion(pkg, version, survey);
  const stamp = { version: spelt, isStatic, ranges };
  const stamped = pkg.format.stamp(text, stamp, pkg.manifestPath);
  if (stamped !== text) await write(file, stamped);
  // A template that is filled in later carries no version yet.
  return stamped.includes(spelt) ? inside : null;
}

/** Ranges of workspace packages that would not take the version which is released or was released last. */
export function rangesOf(pkg: Package, versions: ReadonlyMap<number, string>, survey: Survey) {
  const rules = ecosystemDefinitions[pkg.ecosystem].ranges;
  return survey.edges
    .filter(({ from }) => from === pkg.index)
    .flatMap(({ to, range, takes }) => {
      const needed = survey.workspace.packages[to];
      const released = versions.get(to) ?? survey.packages.find(({ own }) => own.index === to)?.last?.version;
      if (released === undefined || (takes(released) && !rules.isWorkspaceRange(range))) return [];
      const name = needed?.fullName ?? '';
      return [{ name, from: range, to: rules.raise(range, released) }];
    });
}

/** The version as the ecosystem's manifest has it. */
export function manifestVersion({ ecosystem }: Package, version: string, { stream }: Survey): string {
  return spell(ecosystemDefinitions[ecosystem].scheme, version, stream);
}
