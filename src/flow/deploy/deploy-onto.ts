import { compareFiles } from '../../core/deploy/compare-files.ts';
import { filesOfPart, linknameFor } from '../../core/deploy/mapped-files.ts';
import {
  type DeployedPart,
  type Deployment,
  type DeploymentState,
  deploymentId,
} from '../../core/record/deployment-state.ts';
import type { Repository } from '../../world/git/repository.ts';
import type { Context } from '../context.ts';
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
  refuseUnfinished,
  shownCommands,
} from './deploy-plan.ts';
import { changesByHand, type HandChange, howChanged, isOwnLink } from './observe.ts';
import type { LocalRelease } from './release-files.ts';
import { blocked, placesOf, type ReadState, readFilesOf, type Site, undisturbed } from './site.ts';

/** What goes onto a target. */
export type Task = {
  readonly options: DeployOptions;
  readonly confirm: ConfirmDeploy;
  readonly repository: Repository;
  /** What the target said when the files were put together: a deployment in between is noticed under the lock. */
  readonly read: ReadState;
  readonly local: LocalRelease;
  readonly package: string;
  readonly version: string;
  readonly commit: string;
  /** Name and SHA-256 of the artifact. */
  readonly artifact: string;
  readonly sha256: string;
  /** Issues that a partial artifact holds; null for a whole release. */
  readonly partialOf: readonly string[] | null;
};

/** Shows what would change on a target, asks, and does it. @throws DEPLOY_UNFINISHED, DEPLOY_CHANGED, DEPLOY_BLOCKED and like `carryOut` */
export async function deployOnto(context: Context, site: Site, task: Task): Promise<Deployed> {
  const { options, confirm, repository, read, local } = task;
  refuseUnfinished(site, read.state);
  const { plan, parts } = await undisturbed(site, read, () => planDeployment(site, read.state, task));
  const current = deploymentOf(read.state, read.state.current);
  const isThere =
    plan.changedByHand.length === 0 &&
    current?.result === 'deployed' &&
    plan.before === task.version &&
    current.sha256 === task.sha256 &&
    isSameMap(current.parts, parts) &&
    [plan.added, plan.replaced, plan.removed].every((paths) => paths.length === 0);
  const earlier = earlierVersions(read.state, read.state.current);
  if (isThere) return { ...plan, id: read.state.current, state: 'already-there', earlier };
  if (options.dryRun) return { ...plan, id: null, state: 'planned', earlier };
  if (plan.changedByHand.length > 0 && !options.overwriteChanged) throw changed(site, plan.changedByHand);
  await confirm(plan);
  const run = newRunId(context.now());
  const deployment: Deployment = {
    id: deploymentId(task.version, run),
    package: task.package,
    version: task.version,
    artifact: task.artifact,
    sha256: task.sha256,
    commit: task.commit,
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
  { local, package: name, version, artifact, sha256, partialOf }: Task,
): Promise<{ readonly plan: DeployPlan; readonly parts: readonly DeployedPart[] }> {
  const current = deploymentOf(state, state.current);
  const files = await readFilesOf(site, current?.id ?? null);
  const lead = current === null ? await site.target.find(placesOf(site).current) : null;
  if (lead !== null) throw blocked(site, placesOf(site).current, lead.type);
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
  const plan: DeployPlan = {
    ...compareFiles(files, local.files),
    deployment: site.name,
    target: site.target.where,
    package: name,
    version,
    before: current?.version ?? null,
    artifact,
    sha256,
    partialOf,
    parts,
    isAtomic: parts.every(({ isCopied }) => !isCopied),
    changedByHand: [...byHand, ...strangers],
    commands: shownCommands(site.config, 'all'),
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
