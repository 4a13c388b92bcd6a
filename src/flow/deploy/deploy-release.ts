import { compareFiles } from '../../core/deploy/compare-files.ts';
import { filesOfPart, linknameFor } from '../../core/deploy/mapped-files.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import {
  type DeployedPart,
  type Deployment,
  type DeploymentState,
  deploymentId,
} from '../../core/record/deployment-state.ts';
import type { ArtifactRecord } from '../../core/record/release-record.ts';
import { compareVersions, isNormal } from '../../core/version/version.ts';
import type { Repository } from '../../world/git/repository.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import type { Context } from '../context.ts';
import { findRelease } from '../release-folder/recorded-release.ts';
import { newRunId } from '../run/run.ts';
import { carryOut } from './carry-out.ts';
import {
  type ConfirmDeploy,
  changed,
  type Deployed,
  type DeployOptions,
  type DeployPlan,
  deployer,
  deploymentOf,
  earlierVersions,
  type Ground,
  refuseUnfinished,
} from './deploy-plan.ts';
import { changesByHand, type HandChange, howChanged, isOwnLink } from './observe.ts';
import { artifactFor, fetchForDeployment, type LocalRelease, unpackForDeployment } from './release-files.ts';
import { deploymentNamed, readFilesOf, readState, type Site, withSite } from './site.ts';
import { blocked } from './switch-release.ts';

/**
 * Puts a release onto a target: its artifact is fetched by the digest that its tag vouches for, unpacked into a folder of its
 * own there, read again, and put into place in one step.
 * @throws DEPLOY_UNFINISHED, DEPLOY_CHANGED, DEPLOY_BUSY, DEPLOY_BLOCKED, DEPLOY_FAILED, DEPLOY_NO_ARTIFACT,
 * TARGET_UNREACHABLE, TARGET_REFUSED, RELEASE_NOT_RECORDED.
 */
export async function deployRelease(
  context: Context,
  { repository, workspace, known }: Ground,
  { options, confirm }: Pick<Task, 'options' | 'confirm'>,
): Promise<Deployed> {
  const asked = options.release === null ? null : findRelease(known, options.release);
  const { name, config } = deploymentNamed(workspace, { name: options.to, packageName: asked?.package ?? null });
  const release = releaseFor(known, { asked: options.release, packageName: config.package, name });
  const artifact = artifactFor(release, config);
  const file = await fetchForDeployment(context, workspace, { release, artifact });
  const own = await makeOwnFolder(repository.commonFolder, 'deploy');
  try {
    const local = await unpackForDeployment(file, `${own.folder}/release`, config);
    return await withSite(context, { workspace, name, config }, (site) =>
      deployTo(context, site, { options, confirm, repository, release, artifact, local }),
    );
  } finally {
    await own.remove();
  }
}

type Task = {
  readonly options: DeployOptions;
  readonly confirm: ConfirmDeploy;
  readonly repository: Repository;
  readonly release: LedgerRelease;
  readonly artifact: ArtifactRecord;
  readonly local: LocalRelease;
};

async function deployTo(context: Context, site: Site, task: Task): Promise<Deployed> {
  const { options, confirm, repository, release, artifact, local } = task;
  const read = await readState(site);
  refuseUnfinished(site, read.state);
  const { plan, parts } = await planDeployment(site, read.state, task);
  const isThere =
    plan.changedByHand.length === 0 &&
    plan.before === release.version &&
    deploymentOf(read.state, read.state.current)?.sha256 === artifact.sha256 &&
    isSameMap(deploymentOf(read.state, read.state.current)?.parts ?? [], parts) &&
    [plan.added, plan.replaced, plan.removed].every((paths) => paths.length === 0);
  const earlier = earlierVersions(read.state, read.state.current);
  if (isThere) return { ...plan, id: read.state.current, state: 'already-there', earlier };
  if (options.dryRun) return { ...plan, id: null, state: 'planned', earlier };
  if (plan.changedByHand.length > 0 && !options.overwriteChanged) throw changed(site, plan.changedByHand);
  await confirm(plan);
  const run = newRunId(context.now());
  const deployment: Deployment = {
    id: deploymentId(release.version, run),
    package: release.package,
    version: release.version,
    artifact: artifact.file,
    sha256: artifact.sha256,
    commit: release.commit,
    at: context.now().toISOString(),
    by: await deployer(context, repository),
    before: read.state.current,
    parts,
    files: local.files.length,
    result: null,
  };
  const after = await carryOut(context, site, {
    read,
    next: { ...read.state, deployments: [...read.state.deployments, deployment] },
    pending: { id: deployment.id, kind: 'forward', run },
    repository,
    local,
  });
  return { ...plan, id: deployment.id, state: 'deployed', earlier: earlierVersions(after, deployment.id) };
}

/** What would change, where each part goes, and what someone else changed. @throws DEPLOY_BLOCKED */
async function planDeployment(
  site: Site,
  state: DeploymentState,
  { release, artifact, local }: Pick<Task, 'release' | 'artifact' | 'local'>,
): Promise<{ readonly plan: DeployPlan; readonly parts: readonly DeployedPart[] }> {
  const current = deploymentOf(state, state.current);
  const files = await readFilesOf(site, current?.id ?? null);
  const parts = await partsFor(site, current);
  const before = new Set((current?.parts ?? []).flatMap((part) => filesOfPart(files, part)).map(({ to }) => to));
  const strangers: HandChange[] = [];
  for (const part of parts.filter(({ isCopied }) => isCopied))
    for (const { file, to } of filesOfPart(local.files, part)) {
      if (before.has(to) || (await isOwnLink(site, part))) continue;
      const found = await site.target.find(to);
      if (found !== null && found.type !== 'file' && found.type !== 'symlink') throw blocked(site, to, found.type);
      if (found !== null && (await howChanged(site.target, to, file)) !== null)
        strangers.push({ path: to, how: 'was there before, and is not from a deployment' });
    }
  const byHand = current === null ? [] : await changesByHand(site, current, files);
  const { first, then, until } = site.config;
  const plan: DeployPlan = {
    ...compareFiles(files, local.files),
    deployment: site.name,
    target: site.target.where,
    package: release.package,
    version: release.version,
    before: current?.version ?? null,
    artifact: artifact.file,
    sha256: artifact.sha256,
    parts,
    isAtomic: parts.every(({ isCopied }) => !isCopied),
    changedByHand: [...byHand, ...strangers],
    commands: [
      ...first.map(({ run }) => run),
      ...then.map(({ run }) => run),
      ...(until === null ? [] : [`wait for ${until}`]),
    ],
  };
  return { plan, parts };
}

/** Where each part goes: a link, or copies where something that is no link of ours is there already. @throws DEPLOY_BLOCKED */
async function partsFor(site: Site, current: Deployment | null): Promise<DeployedPart[]> {
  const { config, target } = site;
  const parts: DeployedPart[] = [];
  for (const { from, to, copy } of config.map) {
    const place = to.startsWith('/') ? to : `${target.folder}/${to}`;
    const found = await target.find(place);
    const isLink = found?.type === 'symlink';
    const part = { from, to: place, isCopied: copy || (found !== null && !isLink) };
    const isOurs = current?.parts.some((other) => other.to === place) === true || (await isOwnLink(site, part));
    if (isLink && !isOurs) throw blocked(site, place, 'symlink');
    parts.push(part);
  }
  return parts;
}

function isSameMap(a: readonly DeployedPart[], b: readonly DeployedPart[]): boolean {
  const textOf = (parts: readonly DeployedPart[]) =>
    parts.map((part) => `${linknameFor(part, '/')} ${part.to} ${part.isCopied}`).sort();
  return JSON.stringify(textOf(a)) === JSON.stringify(textOf(b));
}

/** The release that was asked for, or the highest one of the package that is not a prerelease and was not taken back. */
function releaseFor(
  known: readonly LedgerRelease[],
  { asked, packageName, name }: { readonly asked: string | null; readonly packageName: string; readonly name: string },
): LedgerRelease {
  if (asked !== null) {
    const found = findRelease(known, asked);
    const isNamed = asked !== found.package && asked !== found.about.name;
    if (found.package !== packageName)
      throw new BevelstoneError('USAGE', {
        message: `${name} is a deployment of ${packageName}, not of ${found.package}`,
        why: 'a deployment has the releases of one package',
        fix: `Name a release of ${packageName}, or another deployment with --to`,
      });
    if (isNamed) return found;
  }
  const own = known.filter(
    ({ package: other, version, isAbandoned, withdrawals }) =>
      other === packageName && isNormal(version) && !isAbandoned && withdrawals.length === 0,
  );
  const [highest] = own.sort((a, b) => compareVersions(b.version, a.version));
  if (highest !== undefined) return highest;
  throw new BevelstoneError('RELEASE_NOT_RECORDED', {
    message: `the ledger has no release of ${packageName} to deploy`,
    why: 'prereleases, and releases that were given up or taken back, are deployed only by their version',
    fix: `Name one: bevelstone deploy ${packageName}@VERSION --to ${name}`,
  });
}
