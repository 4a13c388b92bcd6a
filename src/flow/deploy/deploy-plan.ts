import type { FileChanges } from '../../core/deploy/compare-files.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import type { DeployedPart, Deployment, DeploymentState } from '../../core/record/deployment-state.ts';
import { cleanText } from '../../core/text/clean.ts';
import { committerName, type Repository, resolveCommit } from '../../world/git/repository.ts';
import type { Context } from '../context.ts';
import { readWorkspace, type Workspace } from '../workspace/workspace.ts';
import type { HandChange } from './observe.ts';
import type { Site } from './site.ts';

/** What is to be deployed, and where. */
export type DeployOptions = {
  /** `PACKAGE`, `PACKAGE@VERSION`; null where the deployment says it. */
  readonly release: string | null;
  /** Name of the deployment; null for the only one. */
  readonly to: string | null;
  /** `back`: the deployment before; `resume`: one that was cut short. */
  readonly what: 'release' | 'partial' | 'back' | 'resume';
  /** Path of the partial artifact; null for whole releases. */
  readonly partial: string | null;
  readonly overwriteChanged: boolean;
  readonly dryRun: boolean;
};

/** What a deployment does, before it is done. */
export type DeployPlan = FileChanges & {
  readonly deployment: string;
  readonly target: string;
  readonly package: string;
  readonly version: string;
  /** The version in place; null for none. */
  readonly before: string | null;
  readonly artifact: string;
  readonly sha256: string;
  /** Issues that a partial artifact holds; null for a whole release. */
  readonly partialOf: readonly string[] | null;
  readonly parts: readonly DeployedPart[];
  /** Whether everything changes in one step. */
  readonly isAtomic: boolean;
  readonly changedByHand: readonly HandChange[];
  readonly commands: readonly string[];
};

/** The answer of `deploy`. */
export type Deployed = DeployPlan & {
  readonly id: string | null;
  readonly state: 'planned' | 'deployed' | 'already-there' | 'returned' | 'removed';
  /** Versions that one can return to, the newest first. */
  readonly earlier: readonly string[];
};

/** What a deployment starts from. */
export type Ground = {
  readonly repository: Repository;
  readonly workspace: Workspace;
  /** Releases of the ledger. */
  readonly known: readonly LedgerRelease[];
};

/** Asks the person, after showing the plan. */
export type ConfirmDeploy = (plan: DeployPlan) => Promise<void>;

/** The workspace as the last commit has it: whoever can change the working folder alone cannot deploy. */
export async function deploymentWorkspace(context: Context, repository: Repository): Promise<Workspace> {
  const commit = await resolveCommit(repository.place, 'HEAD');
  return readWorkspace(context, { repository, commit, source: 'commit' });
}

/** A deployment that a state names; null for null. */
export function deploymentOf({ deployments }: DeploymentState, id: string | null): Deployment | null {
  return deployments.find((deployment) => deployment.id === id) ?? null;
}

/** Issues of the partial artifact that a deployment took; null where it took a whole release. */
export function partialIssues(
  known: Ground['known'],
  { package: name, version, sha256 }: Pick<Deployment, 'package' | 'version' | 'sha256'>,
): readonly string[] | null {
  const release = known.find((found) => found.package === name && found.version === version);
  return release?.partials.find((partial) => partial.sha256 === sha256)?.issues ?? null;
}

/** The commands of a deployment, as plans show them. @param when `after`: only those that come once everything is in place. */
export function shownCommands({ first, then, until }: Site['config'], when: 'all' | 'after'): string[] {
  const runs = when === 'all' ? [...first, ...then] : then;
  return [...runs.map(({ run }) => run), ...(until === null ? [] : [`wait for ${until}`])];
}

/** Versions that one can return to from a deployment, the newest first. */
export function earlierVersions(state: DeploymentState, id: string | null): string[] {
  const found: string[] = [];
  for (let at = deploymentOf(state, id)?.before ?? null; at !== null; ) {
    const deployment: Deployment | null = deploymentOf(state, at);
    if (deployment === null || found.length >= state.deployments.length) break;
    found.push(deployment.version);
    at = deployment.before;
  }
  return found;
}

/** Who deploys: as git knows them, else as the system does. */
export async function deployer({ env }: Context, { place }: Repository): Promise<string> {
  const name = (await committerName(place)) ?? env['USER'] ?? env['LOGNAME'] ?? '';
  return cleanText(name).slice(0, 200) || 'unknown';
}

/** @throws DEPLOY_UNFINISHED */
export function refuseUnfinished({ name, target }: Site, state: DeploymentState): void {
  if (state.pending === null) return;
  const what = deploymentOf(state, state.pending.id);
  throw new BevelstoneError('DEPLOY_UNFINISHED', {
    message: `a deployment to ${name} was begun and not finished`,
    why: `${what === null ? 'going back to an empty target' : `${what.package} ${what.version}, by ${what.by}`} on ${target.where}`,
    fix: `To finish it: bevelstone deploy --resume --to ${name}. To return to what was there before: bevelstone deploy --back --to ${name}`,
  });
}

/** The error for files that someone changed on the target. */
export function changed({ name, target }: Site, changes: readonly HandChange[]): BevelstoneError {
  const shown = changes.slice(0, 12).map(({ path, how }) => `${path}: ${how}`);
  return new BevelstoneError('DEPLOY_CHANGED', {
    message: `${changes.length === 1 ? 'a file was' : `${changes.length} files were`} changed by hand on ${target.where}`,
    why: [...shown, ...(changes.length > shown.length ? [`and ${changes.length - shown.length} more`] : [])].join('\n'),
    fix: `Bring the changes into the package, then add --overwrite-changed to deploy to ${name} all the same`,
  });
}
