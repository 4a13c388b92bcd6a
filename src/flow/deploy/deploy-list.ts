import type { LedgerDeployment, LedgerPartial, LedgerRelease } from '../../core/ledger/fold.ts';
import type { Context } from '../context.ts';
import { readFreshLedger } from '../ledger-record/ledger.ts';
import { openContext } from '../workspace/workspace.ts';
import { deploymentWorkspace } from './deploy-plan.ts';

/** A deployment on record, with the release that it was of. */
export type RecordedDeployment = LedgerDeployment & {
  readonly package: string;
  readonly version: string;
  /** Issues of the partial artifact that was put onto the release; null for a whole one. */
  readonly partialOf: readonly string[] | null;
};

/** What the ledger says of one deployment of the configuration, or of one that is no longer there. */
export type DeploymentHistory = {
  readonly deployment: string;
  readonly isConfigured: boolean;
  /** Null where nothing is on record. */
  readonly last: RecordedDeployment | null;
  /** Newest first, the last one included. */
  readonly events: readonly RecordedDeployment[];
};

/** A partial artifact on record. */
export type RecordedPartial = LedgerPartial & {
  readonly package: string;
  /** The version that it is put on. */
  readonly base: string;
  /** Deployments that have it in place. */
  readonly deployedTo: readonly string[];
};

/** The answer of `deploy list`. */
export type DeploymentList = {
  readonly deployments: readonly DeploymentHistory[];
  readonly partials: readonly RecordedPartial[];
};

/** What was deployed where, as the ledger tells it. The targets themselves are not asked. */
export async function listDeployments(context: Context): Promise<DeploymentList> {
  const repository = await openContext(context);
  const { config } = await deploymentWorkspace(context, repository);
  const known = (await readFreshLedger(context, repository)).filter(
    (release) => context.packages.length === 0 || context.packages.includes(release.package),
  );
  const events = eventsOf(known);
  const configured = Object.entries(config.deployments)
    .filter(([, deployment]) => context.packages.length === 0 || context.packages.includes(deployment.package))
    .map(([name]) => name);
  const names = [...new Set([...configured, ...events.map(({ deployment }) => deployment)])];
  const deployments = names.map((deployment) => {
    const own = events.filter((event) => event.deployment === deployment);
    return { deployment, isConfigured: configured.includes(deployment), last: own[0] ?? null, events: own };
  });
  return { deployments, partials: partialsOn(known) };
}

/** All deployments of these releases, newest first. */
function eventsOf(known: readonly LedgerRelease[]): RecordedDeployment[] {
  return known
    .flatMap(({ package: name, version, deployments, partials }) =>
      deployments.map((event) => {
        const partial = partials.find(({ sha256 }) => sha256 === event.sha256);
        return { ...event, package: name, version, partialOf: partial?.issues ?? null };
      }),
    )
    .sort((a, b) => (a.at < b.at ? 1 : -1));
}

/** What each deployment has in place, as far as the ledger tells. */
export function inPlace(known: readonly LedgerRelease[]): ReadonlyMap<string, RecordedDeployment> {
  const last = new Map<string, RecordedDeployment>();
  for (const event of eventsOf(known)) if (!last.has(event.deployment)) last.set(event.deployment, event);
  return last;
}

/** Every partial artifact that was made, by itself or with a release, newest first. */
export function partialsOn(known: readonly LedgerRelease[]): RecordedPartial[] {
  const now = [...inPlace(known).values()];
  return known
    .flatMap(({ package: name, version, commit, date, partials, artifacts }) => [
      ...partials.map((partial) => ({ ...partial, package: name, base: version })),
      ...artifacts.flatMap(({ file, sha256, size, partial }) => {
        if (partial === undefined) return [];
        const { base, added, replaced, removed, issues } = partial;
        return [
          { package: name, base, file, sha256, size, commit, entries: added + replaced, removed, issues, at: date },
        ];
      }),
    ])
    .map((partial) => ({
      ...partial,
      deployedTo: now.filter(({ sha256 }) => sha256 === partial.sha256).map(({ deployment }) => deployment),
    }))
    .sort((a, b) => (a.at < b.at ? 1 : -1));
}
