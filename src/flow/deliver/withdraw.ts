import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { redact } from '../../core/text/redact.ts';
import { currentBranch, remoteOf, resolveCommit } from '../../world/git/repository.ts';
import { closeConnections } from '../../world/http.ts';
import type { Context } from '../context.ts';
import { readLedger } from '../ledger-record/ledger.ts';
import { beginLedgerRun } from '../ledger-record/ledger-run.ts';
import { destinationNamed, findRelease, standingDeliveries, subjectOf } from '../release-folder/recorded-release.ts';
import { openDestination } from '../workspace/open-destination.ts';
import { ensureTrust } from '../workspace/trust.ts';
import { openContext, readWorkspace } from '../workspace/workspace.ts';
import type { Delivery } from './deliver.ts';

/** What is to be taken back. */
export type WithdrawOptions = {
  /** `PACKAGE@VERSION` */
  readonly release: string;
  readonly from: string;
  readonly reason: string;
  /** Whether it should be erased where the protocol would only mark it. */
  readonly erase: boolean;
  readonly dryRun: boolean;
};

/** The answer of `withdraw`. */
export type Withdrawn = {
  readonly package: string;
  readonly version: string;
  readonly destination: string;
  readonly dryRun: boolean;
  /** What was done; null in a dry run. */
  readonly how: string | null;
  /** What the protocol cannot do. */
  readonly limits: string | null;
  readonly deliveries: readonly Delivery[];
};

/**
 * Takes a release back at a destination, the way its protocol allows, and records that. The version stays used up.
 * @throws RELEASE_NOT_RECORDED, WITHDRAW_IMPOSSIBLE, NOTHING_TO_RELEASE when it is not there (any more).
 */
export async function withdrawRelease(
  context: Context,
  options: WithdrawOptions,
  confirm: (release: LedgerRelease) => Promise<void>,
): Promise<Withdrawn> {
  const repository = await openContext(context);
  const workspace = await readWorkspace(context, {
    repository,
    commit: await resolveCommit(repository.place, 'HEAD'),
    source: 'commit',
  });
  const config = destinationNamed(workspace, options.from);
  const release = findRelease(await readLedger(context, repository), options.release);
  const standing = standingDeliveries(release).get(options.from) ?? [];
  const { package: name, version } = release;
  if (standing.length === 0) throw notThere(release, options.from);
  const outcome = { package: name, version, destination: options.from, dryRun: options.dryRun };
  const state = (name: Delivery['state']): Delivery[] =>
    standing.map(({ isContradicted: _, ...delivery }) => ({
      ...delivery,
      why: null,
      state: name,
      isUnconfirmed: false,
      code: null,
    }));
  if (options.dryRun) return { ...outcome, how: null, limits: null, deliveries: state('pending') };
  await ensureTrust(context, workspace, [options.from]);
  const destination = await openDestination(context, { name: options.from, config, repository });
  await confirm(release);
  // It is public and permanent.
  const reason = redact(options.reason, context.secrets);
  try {
    const what = `withdraw ${name} ${version} from ${options.from}`;
    context.report({ type: 'started', what });
    const { how, limits } = await destination.withdraw(subjectOf(release), {
      reason,
      erase: options.erase,
      delivered: standing,
    });
    context.report({ type: 'finished', what, detail: how });
    const remote = await remoteOf(repository.place, await currentBranch(repository.place));
    const run = await beginLedgerRun(context, repository, remote);
    run.writer.add({
      type: 'withdrawn',
      package: name,
      version,
      destination: options.from,
      how,
      reason,
    });
    await run.record(`Record that ${name} ${version} was withdrawn from ${options.from}`);
    return { ...outcome, how, limits, deliveries: state('withdrawn') };
  } finally {
    await closeConnections();
  }
}

function notThere({ package: name, version, deliveries }: LedgerRelease, from: string): BevelstoneError {
  const isWithdrawn = deliveries.some(({ destination }) => destination === from);
  const others = [...new Set(deliveries.map(({ destination }) => destination))].filter((name) => name !== from);
  return new BevelstoneError('NOTHING_TO_RELEASE', {
    message: `${name} ${version} is not at ${from}`,
    why: isWithdrawn ? 'according to the ledger it was already withdrawn' : 'the ledger has no upload of it there',
    fix: others.length === 0 ? 'Nothing to do' : `It was uploaded to ${others.join(', ')}`,
  });
}
