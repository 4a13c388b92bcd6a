import type { LedgerDeployment } from '../../core/ledger/fold.ts';
import { uniteWithRemote } from '../../world/git/ledger-store.ts';
import { currentBranch, remoteOf } from '../../world/git/repository.ts';
import type { Context } from '../context.ts';
import { readLedger } from '../ledger-record/ledger.ts';
import { openContext } from '../workspace/workspace.ts';
import { deploymentWorkspace } from './deploy-plan.ts';

/** A deployment on record, with the release that it was of. */
export type RecordedDeployment = LedgerDeployment & { readonly package: string; readonly version: string };

/** What the ledger says of one deployment of the configuration, or of one that is no longer there. */
export type DeploymentHistory = {
  readonly deployment: string;
  readonly isConfigured: boolean;
  /** Null where nothing is on record. */
  readonly last: RecordedDeployment | null;
  /** Newest first, the last one included. */
  readonly events: readonly RecordedDeployment[];
};

/** The answer of `deploy list`. */
export type DeploymentList = { readonly deployments: readonly DeploymentHistory[] };

/** What was deployed where, as the ledger tells it. The targets themselves are not asked. */
export async function listDeployments(context: Context): Promise<DeploymentList> {
  const repository = await openContext(context);
  const { config } = await deploymentWorkspace(context, repository);
  const remote = await remoteOf(repository.place, await currentBranch(repository.place));
  if (remote !== null) await uniteWithRemote(repository, remote);
  const known = await readLedger(context, repository);
  const events = known
    .filter((release) => context.packages.length === 0 || context.packages.includes(release.package))
    .flatMap(({ package: name, version, deployments }) =>
      deployments.map((event) => ({ ...event, package: name, version })),
    )
    .sort((a, b) => (a.at < b.at ? 1 : -1));
  const configured = Object.entries(config.deployments)
    .filter(([, deployment]) => context.packages.length === 0 || context.packages.includes(deployment.package))
    .map(([name]) => name);
  const names = [...new Set([...configured, ...events.map(({ deployment }) => deployment)])];
  const deployments = names.map((deployment) => {
    const own = events.filter((event) => event.deployment === deployment);
    return { deployment, isConfigured: configured.includes(deployment), last: own[0] ?? null, events: own };
  });
  return { deployments };
}
