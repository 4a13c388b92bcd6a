import { compareFiles } from '../../core/deploy/compare-files.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { Deployment, DeploymentState } from '../../core/record/deployment-state.ts';
import type { Context } from '../context.ts';
import { newRunId } from '../run/run.ts';
import { carryOut } from './carry-out.ts';
import {
  type ConfirmDeploy,
  changed,
  type Deployed,
  type DeployOptions,
  type DeployPlan,
  deploymentOf,
  earlierVersions,
  type Ground,
  partialIssues,
  shownCommands,
} from './deploy-plan.ts';
import { changesByHand, changesInRelease, type HandChange } from './observe.ts';
import { deploymentNamed, readFilesIfThere, readState, type Site, undisturbed, withSite } from './site.ts';

/**
 * Returns to the deployment before, whose files are still on the target. Of one that was cut short it undoes what was done:
 * then the release that was in place stays, or nothing if it was the first.
 * @throws DEPLOY_NOTHING_BEFORE, DEPLOY_CHANGED
 */
export async function deployBack(
  context: Context,
  { repository, workspace, known }: Ground,
  { options, confirm }: { readonly options: DeployOptions; readonly confirm: ConfirmDeploy },
): Promise<Deployed> {
  const packageName = options.release === null ? null : options.release.replace(/(?<=.)@.*$/, '');
  const named = deploymentNamed(workspace, { name: options.to, packageName });
  return withSite(context, { workspace, ...named }, async (site) => {
    const read = await readState(site);
    const { state } = read;
    const { from, to } = wayBack(site, state);
    const plan = await undisturbed(site, read, () => planBack(site, state, { from, to, known }));
    const earlier = earlierVersions(state, to?.id ?? null);
    if (options.dryRun) return { ...plan, id: to?.id ?? null, state: 'planned', earlier };
    if (plan.changedByHand.length > 0 && !options.overwriteChanged) throw changed(site, plan.changedByHand);
    await confirm(plan);
    const pending = { id: to?.id ?? null, kind: 'back', run: newRunId(context.now()) } as const;
    const after = await carryOut(context, site, { read, next: state, pending, repository, local: null });
    return {
      ...plan,
      id: to?.id ?? null,
      state: to === null ? 'removed' : 'returned',
      earlier: earlierVersions(after, to?.id ?? null),
    };
  });
}

/** What is left, and what comes back; null for nothing. */
function wayBack(site: Site, state: DeploymentState): { readonly from: Deployment; readonly to: Deployment | null } {
  const { pending, deployments } = state;
  const current = deploymentOf(state, state.current);
  const begun = deployments.findLast(({ result }) => result === null);
  if (pending !== null && begun !== undefined) return { from: begun, to: current };
  // Going back was cut short: it goes on.
  if (pending !== null && current !== null) return { from: current, to: deploymentOf(state, pending.id) };
  const to = deploymentOf(state, current?.before ?? null);
  if (current !== null && to !== null) return { from: current, to };
  throw new BevelstoneError('DEPLOY_NOTHING_BEFORE', {
    message: `${site.name} has no earlier deployment to return to`,
    why:
      current === null
        ? `nothing is deployed on ${site.target.where}`
        : current.before === null
          ? `${current.package} ${current.version} was the first one there`
          : `the one before ${current.version} is no longer there: \`earlier\` says how many are kept`,
    fix: `Deploy the release that you want: bevelstone deploy PACKAGE@VERSION --to ${site.name}`,
  });
}

async function planBack(
  site: Site,
  state: DeploymentState,
  { from, to, known }: { readonly from: Deployment; readonly to: Deployment | null; readonly known: Ground['known'] },
): Promise<DeployPlan> {
  const old = (await readFilesIfThere(site, from.id)) ?? [];
  const files = to === null ? [] : ((await readFilesIfThere(site, to.id)) ?? []);
  if (to !== null) await refuseDamaged(site, to, await changesInRelease(site, to.id, files));
  // In the middle of a deployment it cannot be told who changed what.
  const changedByHand = state.pending === null ? await changesByHand(site, from, old) : [];
  const shown = to ?? from;
  return {
    ...compareFiles(old, files),
    deployment: site.name,
    target: site.target.where,
    package: shown.package,
    version: shown.version,
    before: from.version,
    artifact: shown.artifact,
    sha256: shown.sha256,
    partialOf: partialIssues(known, shown),
    parts: shown.parts,
    isAtomic: [...from.parts, ...shown.parts].every(({ isCopied }) => !isCopied),
    changedByHand,
    commands: to === null ? [] : shownCommands(site.config, 'after'),
  };
}

/** Byte for byte means that the bytes are still there. */
async function refuseDamaged(site: Site, to: Deployment, changes: readonly HandChange[]): Promise<void> {
  if (changes.length === 0) return;
  throw new BevelstoneError('DEPLOY_CHANGED', {
    message: `the files of ${to.package} ${to.version} on ${site.target.where} are not those that were deployed`,
    why: changes
      .slice(0, 12)
      .map(({ path, how }) => `${path}: ${how}`)
      .join('\n'),
    fix: `Deploy it anew: bevelstone deploy ${to.package}@${to.version} --to ${site.name}`,
  });
}
