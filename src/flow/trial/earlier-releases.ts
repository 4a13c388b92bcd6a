import path from 'node:path';
import { destinationsOf } from '../../core/config/config.ts';
import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { keptForms, takesForm } from '../../core/plan/delivery-plan.ts';
import { makeFolder } from '../../world/files.ts';
import type { Context } from '../context.ts';
import { localReleases } from '../ledger-record/ledger.ts';
import { vouchedArtifacts, vouchedDeliveries } from '../ledger-record/vouched.ts';
import { fetchArtifact } from '../read/fetch-artifact.ts';
import type { ReleaseFolder } from '../release-folder/built-release.ts';
import { recordedFolder } from '../release-folder/recorded-release.ts';
import { openDestination } from '../workspace/open-destination.ts';
import type { Package, Workspace } from '../workspace/workspace.ts';

/** What packages of the workspace need that was released before. */
export type EarlierReleases = {
  readonly folders: readonly ReleaseFolder[];
  /** Why a package that is needed is not among them, by its name for others. */
  readonly missing: ReadonlyMap<string, string>;
};

/**
 * The newest releases on record of workspace packages that the given ones need and that are not released with them, fetched by
 * digest: a dependent can be rehearsed alone.
 * @param top folder for what is fetched.
 */
export async function earlierReleases(
  context: Context,
  {
    workspace,
    releases,
    top,
  }: { readonly workspace: Workspace; readonly releases: readonly ReleaseFolder[]; readonly top: string },
): Promise<EarlierReleases> {
  const needed = neededPackages(workspace, new Set(releases.map(({ record }) => record.package)));
  if (needed.length === 0) return { folders: [], missing: new Map() };
  const known = await localReleases(context, workspace.repository);
  const folders: ReleaseFolder[] = [];
  const missing = new Map<string, string>();
  for (const own of needed) {
    const release = known.find((candidate) => candidate.package === own.name && candidate.isVouched);
    const found =
      release === undefined ? 'it was never released' : await fetchRelease(context, { workspace, own, release, top });
    if (typeof found === 'string') missing.set(own.fullName, found);
    else folders.push(found);
  }
  return { folders, missing };
}

/** Packages of the workspace that these need at run time, directly or by others, and that are not among them; the deepest first. */
function neededPackages({ packages }: Workspace, released: ReadonlySet<string>): Package[] {
  const needed = new Set<Package>();
  const visit = (own: Package) => {
    for (const { name, kind } of own.manifest?.dependencies ?? []) {
      const to = packages.find(({ fullName, ecosystem }) => fullName === name && ecosystem === own.ecosystem);
      if (kind === 'development' || to === undefined || released.has(to.name) || needed.has(to)) continue;
      needed.add(to);
      visit(to);
    }
  };
  for (const own of packages.filter(({ name }) => released.has(name))) visit(own);
  return [...needed].reverse();
}

/** @returns why it could not be had, where it could not. */
async function fetchRelease(
  context: Context,
  {
    workspace,
    own,
    release,
    top,
  }: { readonly workspace: Workspace; readonly own: Package; readonly release: LedgerRelease; readonly top: string },
): Promise<ReleaseFolder | string> {
  const kept = keptForms(own.config);
  let why = 'the ledger has no upload of it that is still there';
  for (const name of destinationsOf(own.config)) {
    const config = workspace.config.destinations[name];
    if (config === undefined) continue;
    const standing = vouchedDeliveries(context, { release, name, config });
    const wanted = vouchedArtifacts(release).filter(
      ({ file, form }) =>
        takesForm(config, form) && !kept.has(form) && standing.some(({ artifact }) => artifact === file),
    );
    if (wanted.length === 0) continue;
    const folder = path.join(top, `${own.name}-${release.version}`);
    await makeFolder(folder);
    try {
      const from = await openDestination(context, { name, config, repository: workspace.repository });
      for (const artifact of wanted) await fetchArtifact(context, { from, artifact, standing, folder });
      return recordedFolder(release, wanted, folder);
    } catch (error) {
      if (!isBevelstoneError(error)) throw error;
      why = `${release.version} could not be fetched from ${name}: ${error.why}`;
    }
  }
  return why;
}
