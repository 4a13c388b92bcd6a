import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { type Deployment, type DeploymentState, isDeploymentId } from '../../core/record/deployment-state.ts';
import { faultPoint } from '../../world/fault-point.ts';
import { currentBranch, type Repository, remoteOf } from '../../world/git/repository.ts';
import { removeTree } from '../../world/target/target.ts';
import { takeTargetLock } from '../../world/target/target-lock.ts';
import { type Context, during, warn } from '../context.ts';
import { beginLedgerRun } from '../ledger-record/ledger-run.ts';
import { linkAt } from './observe.ts';
import { putRelease, setCopyOwners, setOwners } from './put-release.ts';
import type { LocalRelease } from './release-files.ts';
import {
  currentLink,
  placesOf,
  type ReadState,
  readFilesIfThere,
  refuseOvertaken,
  type Site,
  writeState,
} from './site.ts';
import { checkInPlace, switchRelease, type WithFiles } from './switch-release.ts';
import { checkHealth, runCommands } from './target-commands.ts';

/** What is to be done to a target. */
export type Order = {
  /** What the target said when this was planned. */
  readonly read: ReadState;
  /** The same with the new deployment in its list. */
  readonly next: DeploymentState;
  readonly pending: NonNullable<DeploymentState['pending']>;
  readonly repository: Repository;
  /** The files to upload; null where the release is on the target already. */
  readonly local: LocalRelease | null;
};

/**
 * Carries out a deployment, or the way back, under the lock of the target. What is about to happen is written down there
 * first, so that after a kill at any moment `--resume` finishes it and `--back` undoes it.
 * @returns the state that the target is in.
 * @throws DEPLOY_BUSY, DEPLOY_FAILED, TARGET_REFUSED, TARGET_UNREACHABLE; CUT_SHORT when it was interrupted.
 */
export async function carryOut(context: Context, site: Site, order: Order): Promise<DeploymentState> {
  const lock = await takeTargetLock(site.target, placesOf(site).own);
  if (lock.type === 'busy') {
    const { pid, host } = lock.holder;
    throw new BevelstoneError('DEPLOY_BUSY', {
      message: `another deployment to ${site.name} is running`,
      why: `process ${pid} on ${host} holds the lock of ${site.target.where}`,
      fix: `Wait until it ends. If that process no longer exists, delete ${lock.file} there`,
      where: { file: lock.file },
    });
  }
  try {
    faultPoint('deploy', 'locked', 'after-effect');
    await refuseOvertaken(site, order.read);
    return await underLock(context, site, order);
  } finally {
    // Without a connection it stays, and whoever comes next finds its process gone.
    await lock.release().catch(() => {});
  }
}

async function underLock(context: Context, site: Site, order: Order): Promise<DeploymentState> {
  const { pending } = order;
  const begun: DeploymentState = { ...order.next, pending };
  await writeState(site, begun);
  faultPoint('deploy', 'pending', 'after-effect');
  const deployment = begun.deployments.find(({ id }) => id === pending.id) ?? null;
  try {
    // After the switch nothing is prepared any more: its folder is in use.
    const isSwitched =
      deployment !== null && (await linkAt(site.target, placesOf(site).current)) === currentLink(deployment.id);
    if (deployment !== null && order.local !== null && !isSwitched)
      await beforeSwitch(context, site, { ...order, deployment, release: order.local });
    const to = deployment === null ? null : await withFiles(site, deployment);
    const from: WithFiles[] = [];
    for (const other of leftovers(begun)) if (other.id !== pending.id) from.push(await withFiles(site, other));
    const what =
      to === null ? 'remove what was deployed' : `switch to ${to.deployment.package} ${to.deployment.version}`;
    await during(context, what, async () => {
      await switchRelease(context, site, { to, from });
      if (to !== null) await checkInPlace(site, to);
    });
    return await afterSwitch(context, site, { ...order, begun, deployment });
  } catch (error) {
    throw unfinished(context, site, error);
  }
}

/** What may have left something in place: the release there, and one that was begun and not finished. */
function leftovers({ current, deployments }: DeploymentState): Deployment[] {
  return deployments.filter(({ id, result }) => id === current || result === null);
}

async function withFiles(site: Site, deployment: Deployment): Promise<WithFiles> {
  return { deployment, files: (await readFilesIfThere(site, deployment.id)) ?? [] };
}

/** Uploads and prepares. What fails here leaves the target as it was. */
async function beforeSwitch(
  context: Context,
  site: Site,
  {
    deployment,
    release,
    read,
    repository,
  }: Order & { readonly deployment: Deployment; readonly release: LocalRelease },
): Promise<void> {
  await putRelease(context, site, { id: deployment.id, release });
  faultPoint('deploy', 'uploaded', 'after-effect');
  try {
    await setOwners(context, site, { id: deployment.id, map: site.config.map });
    await runCommands(context, site, { when: 'first', deployment });
  } catch (error) {
    if (!isBevelstoneError(error, 'DEPLOY_FAILED')) throw error;
    await record(context, site, { repository, deployment, before: read.state, result: 'failed' });
    await removeTree(site.target, placesOf(site).release(deployment.id));
    await site.target.remove(placesOf(site).files(deployment.id));
    const { deployments } = read.state;
    await writeState(site, {
      ...read.state,
      pending: null,
      deployments: deployments.filter(({ id }) => id !== deployment.id),
    });
    throw failedBefore(site, error);
  }
}

/** What was switched to is in place, whatever its commands say. */
async function afterSwitch(
  context: Context,
  site: Site,
  {
    begun,
    deployment,
    pending,
    repository,
    read,
  }: Order & { readonly begun: DeploymentState; readonly deployment: Deployment | null },
): Promise<DeploymentState> {
  let failure: BevelstoneError | null = null;
  if (deployment !== null) {
    try {
      await setCopyOwners(context, site, await withFiles(site, deployment));
      await runCommands(context, site, { when: 'then', deployment });
      faultPoint('deploy', 'commanded', 'after-effect');
      await checkHealth(context, site);
    } catch (error) {
      if (!isBevelstoneError(error, 'DEPLOY_FAILED')) throw error;
      failure = error;
    }
    const result = failure !== null ? 'failed' : pending.kind === 'back' ? 'returned' : 'deployed';
    await record(context, site, { repository, deployment, before: read.state, result });
    faultPoint('deploy', 'recorded', 'after-effect');
  }
  const settled = settledState(begun, { deployment, failed: failure !== null, keep: site.config.earlier });
  await writeState(site, settled);
  faultPoint('deploy', 'settled', 'after-effect');
  await prune(site, settled);
  if (failure !== null) throw failedAfter(site, failure, deployment?.before ?? null);
  return settled;
}

/** The state once a deployment is over: with as many earlier ones as are kept, each reached from the one that replaced it. */
function settledState(
  { name, deployments }: DeploymentState,
  {
    deployment,
    failed,
    keep,
  }: { readonly deployment: Deployment | null; readonly failed: boolean; readonly keep: number },
): DeploymentState {
  if (deployment === null) return { name, current: null, pending: null, deployments: [] };
  const result = failed ? ('failed' as const) : ('deployed' as const);
  const chain: Deployment[] = [{ ...deployment, result }];
  for (let at = deployment.before; at !== null && chain.length <= keep; ) {
    const next = deployments.find(({ id }) => id === at);
    if (next === undefined || chain.some(({ id }) => id === next.id)) break;
    chain.push(next);
    at = next.before;
  }
  return { name, current: deployment.id, pending: null, deployments: chain.reverse() };
}

/** Removes the folders of releases that the state no longer has. */
async function prune(site: Site, { deployments }: DeploymentState): Promise<void> {
  const { versions, own, release } = placesOf(site);
  const kept = new Set(deployments.map(({ id }) => id));
  // Nothing else that lies there is ours to remove.
  for (const id of await site.target.names(versions))
    if (isDeploymentId(id) && !kept.has(id)) await removeTree(site.target, release(id));
  for (const name of await site.target.names(own)) {
    const id = name.replace(/\.json$/, '');
    if (id !== name && isDeploymentId(id) && !kept.has(id)) await site.target.remove(`${own}/${name}`);
  }
}

async function record(
  context: Context,
  site: Site,
  {
    repository,
    deployment,
    before,
    result,
  }: {
    readonly repository: Repository;
    readonly deployment: Deployment;
    readonly before: DeploymentState;
    readonly result: 'deployed' | 'returned' | 'failed';
  },
): Promise<void> {
  const remote = await remoteOf(repository.place, await currentBranch(repository.place));
  const run = await beginLedgerRun(context, repository, remote);
  const { package: name, version, artifact, sha256, id, by } = deployment;
  const replaced = before.deployments.find((other) => other.id === before.current)?.version ?? null;
  run.writer.add({
    type: 'deployed',
    package: name,
    version,
    deployment: site.name,
    target: site.target.where.slice(0, 300),
    deployed: id,
    artifact,
    sha256,
    by,
    result,
    replaced,
  });
  const verb = result === 'returned' ? 'Record that' : 'Record the deployment of';
  await run.record(
    result === 'returned'
      ? `${verb} ${site.name} returned to ${name} ${version}`
      : `${verb} ${name} ${version} to ${site.name}`,
  );
}

function failedBefore({ name }: Site, error: BevelstoneError): BevelstoneError {
  return withFix(error, `${error.fix}. ${name} still has what it had before`);
}

function failedAfter({ name }: Site, error: BevelstoneError, before: string | null): BevelstoneError {
  const way =
    before === null
      ? 'it is the first, so there is none to return to'
      : `to return to the one before: bevelstone deploy --back --to ${name}`;
  return withFix(error, `${error.fix}. The new release is in place; ${way}`);
}

function withFix(error: BevelstoneError, fix: string): BevelstoneError {
  const { code, message, why } = error;
  return new BevelstoneError(code, { message, why, fix, cause: error });
}

/** An error in the middle says how it goes on. */
function unfinished(context: Context, { name }: Site, error: unknown): unknown {
  const ways = `To finish it: bevelstone deploy --resume --to ${name}. To return to what was there before: bevelstone deploy --back --to ${name}`;
  if (context.signal.aborted)
    return new BevelstoneError('CUT_SHORT', {
      message: `the deployment to ${name} was interrupted`,
      why: 'it is written down on the target how far it came',
      fix: ways,
      cause: error,
    });
  // A command that failed has said already what is in place.
  if (!isBevelstoneError(error) || error.code === 'DEPLOY_FAILED') return error;
  warn(context, `the deployment to ${name} is not finished`);
  return withFix(error, `${error.fix}. ${ways}`);
}
