import path from 'node:path';
import { ecosystemDefinitions } from '../../core/ecosystem/definitions.ts';
import { noMatch, stampByRule, stampHeader } from '../../core/manifest/stamp-rule.ts';
import { spell } from '../../core/version/spelling.ts';
import { readTextIfThere, writeWhole } from '../../world/files.ts';
import { placeInside } from '../../world/place-inside.ts';
import type { Survey } from '../survey/survey.ts';
import type { Package } from '../workspace/workspace.ts';
import type { BuildJob } from './build-job.ts';

/**
 * Writes the version into the checkout: the manifest, with the ranges of workspace packages that are released with it, headers
 * of C libraries, and whatever `stamp` names.
 * @param tracked paths at the commit inside the package's folder.
 * @returns files that now carry the version, inside the package's folder.
 */
export async function stampCheckout(job: BuildJob, tracked: readonly string[]): Promise<Set<string>> {
  const stamped = new Set<string>();
  const manifest = await stampManifest(job, 'built');
  if (manifest !== null) stamped.add(manifest);
  await stampHeaders(job, tracked, stamped);
  for (const rule of job.pkg.config.stamp) {
    const file = await placeInside(job.folder, rule.file, `${rule.file} of \`stamp\``);
    const text = await readTextIfThere(file);
    if (text === null) throw noMatch(rule, 'there is no such file in the folder of the package');
    await writeWhole(file, stampByRule(text, rule, { version: job.version, commit: job.survey.commit }));
    stamped.add(rule.file);
  }
  return stamped;
}

/** What writing a version down needs to know. */
export type StampJob = Pick<BuildJob, 'pkg' | 'version' | 'versions' | 'survey' | 'folder'>;

/**
 * Writes the version down where the repository keeps it: the manifest and headers of C libraries. Ranges that the workspace
 * resolves stay as they are, and so does what `stamp` fills in anew at every build.
 * @returns files that were changed, inside the package's folder.
 */
export async function recordVersion(job: StampJob, tracked: readonly string[]): Promise<Set<string>> {
  const changed = new Set<string>();
  const manifest = await stampManifest(job, 'recorded');
  if (manifest !== null) changed.add(manifest);
  await stampHeaders(job, tracked, changed);
  return changed;
}

async function stampHeaders(job: StampJob, tracked: readonly string[], stamped: Set<string>): Promise<void> {
  const { versionHeaders } = ecosystemDefinitions[job.pkg.ecosystem];
  for (const file of tracked) {
    if (versionHeaders?.test(file) !== true) continue;
    await edit({ job, file, stamped, change: (text) => stampHeader(text, job.pkg.name, job.version) });
  }
}

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
  const place = await placeInside(job.folder, file, file);
  const text = (await readTextIfThere(place)) ?? '';
  const changed = change(text);
  if (changed === text) return;
  await writeWhole(place, changed);
  stamped.add(file);
}

async function stampManifest(
  { pkg, version, versions, survey, folder }: StampJob,
  use: 'built' | 'recorded',
): Promise<string | null> {
  if (pkg.format === null || pkg.manifestPath === null) return null;
  const inside = path.posix.relative(pkg.folder, pkg.manifestPath);
  const file = await placeInside(folder, inside, 'the manifest');
  const text = await readTextIfThere(file);
  if (text === null) return null;
  const { isWorkspaceRange } = ecosystemDefinitions[pkg.ecosystem].ranges;
  const ranges = rangesOf(pkg, versions, survey).filter(({ from }) => use === 'built' || !isWorkspaceRange(from));
  const stamp = { version: manifestVersion(pkg, version, survey), ranges };
  const stamped = pkg.format.stamp(text, stamp, pkg.manifestPath);
  if (stamped !== text) await writeWhole(file, stamped);
  // A template that is filled in later carries no version yet.
  return stamped.includes(stamp.version) ? inside : null;
}

/** Ranges of workspace packages that would not take the version which is released or was released last. */
function rangesOf(pkg: Package, versions: ReadonlyMap<number, string>, survey: Survey) {
  const rules = ecosystemDefinitions[pkg.ecosystem].ranges;
  return survey.edges
    .filter(({ from }) => from === pkg.index)
    .flatMap(({ to, range, takes }) => {
      const needed = survey.workspace.packages[to];
      const released = versions.get(to) ?? survey.packages.find(({ own }) => own.index === to)?.last?.version;
      if (released === undefined || (takes(released) && !rules.isWorkspaceRange(range))) return [];
      const name = needed?.manifest?.name ?? needed?.name ?? '';
      return [{ name, from: range, to: rules.raise(range, released) }];
    });
}

/** The version as the ecosystem's manifest has it. */
export function manifestVersion({ ecosystem }: Package, version: string, { stream }: Survey): string {
  return spell(ecosystemDefinitions[ecosystem].scheme, version, stream);
}
