import { compareFiles } from '../../core/deploy/compare-files.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { Deployment } from '../../core/record/deployment-state.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import type { Context } from '../context.ts';
import { findRelease } from '../release-folder/recorded-release.ts';
import { carryOut } from './carry-out.ts';
import { assemble, openPartial } from './deploy-partial.ts';
import {
  type ConfirmDeploy,
  type Deployed,
  type DeployOptions,
  type DeployPlan,
  deploymentOf,
  earlierVersions,
  type Ground,
  partialIssues,
  shownCommands,
} from './deploy-plan.ts';
import { artifactFor, fetchForDeployment, type LocalRelease, unpackForDeployment } from './release-files.ts';
import { deploymentNamed, readFilesIfThere, readState, type Site, withSite } from './site.ts';

/** Finishes a deployment, or a way back, that was cut short. @throws RUN_NOT_FOUND when there is none. */
export async function resumeDeployment(
  context: Context,
  ground: Ground,
  { options, confirm }: { readonly options: DeployOptions; readonly confirm: ConfirmDeploy },
): Promise<Deployed> {
  const { repository, workspace } = ground;
  const named = deploymentNamed(workspace, { name: options.to, packageName: null });
  return withSite(context, { workspace, ...named }, async (site) => {
    const read = await readState(site);
    const { state } = read;
    if (state.pending === null) throw noneOpen(named.name);
    const { pending } = state;
    const deployment = deploymentOf(state, pending.id);
    const own = await makeOwnFolder(repository.commonFolder, 'deploy');
    try {
      const local =
        pending.kind === 'forward' && deployment !== null
          ? await filesFor(context, { site, ground, deployment, partial: options.partial, folder: own.folder })
          : null;
      const current = deploymentOf(state, state.current);
      const shown = deployment ?? current ?? state.deployments.at(-1);
      if (shown === undefined) throw new Error('a deployment that was begun names a release');
      const old = current === null ? [] : ((await readFilesIfThere(site, current.id)) ?? []);
      const fresh = local?.files ?? (deployment === null ? [] : ((await readFilesIfThere(site, deployment.id)) ?? []));
      const plan: DeployPlan = {
        ...compareFiles(old, fresh),
        deployment: site.name,
        target: site.target.where,
        package: shown.package,
        version: shown.version,
        before: current?.version ?? null,
        artifact: shown.artifact,
        sha256: shown.sha256,
        partialOf: partialIssues(ground.known, shown),
        parts: shown.parts,
        isAtomic: shown.parts.every(({ isCopied }) => !isCopied),
        changedByHand: [],
        commands: shownCommands(site.config, 'all'),
      };
      if (options.dryRun)
        return { ...plan, id: pending.id, state: 'planned', earlier: earlierVersions(state, pending.id) };
      await confirm(plan);
      const after = await carryOut(context, site, { read, next: state, pending, repository, local });
      return {
        ...plan,
        id: pending.id,
        state: pending.kind === 'forward' ? 'deployed' : pending.id === null ? 'removed' : 'returned',
        earlier: earlierVersions(after, pending.id),
      };
    } finally {
      await own.remove();
    }
  });
}

/** The files of a deployment that was begun: of the release as it was delivered, or of the partial artifact that is given again. */
async function filesFor(
  context: Context,
  {
    site,
    ground: { workspace, known },
    deployment,
    partial,
    folder,
  }: {
    readonly site: Site;
    readonly ground: Ground;
    readonly deployment: Deployment;
    readonly partial: string | null;
    readonly folder: string;
  },
): Promise<LocalRelease> {
  if (partial !== null) {
    const opened = await openPartial(context, known, { partial, folder });
    if (opened.sha256 !== deployment.sha256) throw otherArtifact(deployment, site.name);
    return assemble(site, (await readState(site)).state, opened);
  }
  const release = findRelease(known, `${deployment.package}@${deployment.version}`);
  const parts = [...release.partials, ...release.artifacts.filter((artifact) => artifact.partial !== undefined)];
  if (parts.some(({ sha256 }) => sha256 === deployment.sha256)) throw needsPartial(deployment, site.name);
  const artifact = artifactFor(release, site.config);
  if (artifact.sha256 !== deployment.sha256) throw otherArtifact(deployment, site.name);
  const file = await fetchForDeployment(context, workspace, { release, artifact });
  return unpackForDeployment({ file, form: artifact.form }, `${folder}/release`, site.config);
}

function needsPartial({ artifact }: Deployment, deployment: string): BevelstoneError {
  return new BevelstoneError('DEPLOY_NO_ARTIFACT', {
    message: `the deployment that was begun needs ${artifact} again`,
    why: 'it is a partial artifact, and those are not fetched',
    fix: `bevelstone deploy --resume --partial ${artifact} --to ${deployment}; to undo it: bevelstone deploy --back --to ${deployment}`,
  });
}

function noneOpen(name: string): BevelstoneError {
  return new BevelstoneError('RUN_NOT_FOUND', {
    message: `no unfinished deployment to ${name}`,
    why: 'its target says that the last one came to its end',
    fix: 'Nothing to do. What is where: bevelstone deploy list',
  });
}

function otherArtifact({ package: name, version, artifact }: Deployment, deployment: string): BevelstoneError {
  return new BevelstoneError('DEPLOY_NO_ARTIFACT', {
    message: `the deployment that was begun cannot be finished: it is of ${artifact}`,
    why: `that is neither the file that was given nor the artifact of ${name} ${version} that the configuration takes now`,
    fix: `Return to what was there before, then deploy anew: bevelstone deploy --back --to ${deployment}`,
  });
}
