import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { refusesRelease, takesForm } from '../../core/plan/delivery-plan.ts';
import { currentBranch, remoteOf, resolveCommit } from '../../world/git/repository.ts';
import { closeConnections } from '../../world/http.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import type { Context } from '../context.ts';
import { beginLedgerRun } from '../ledger-record/ledger-run.ts';
import { readNamedRelease } from '../ledger-record/named-release.ts';
import { requireVouched, vouchedArtifacts, vouchedDeliveries } from '../ledger-record/vouched.ts';
import { fetchArtifact } from '../read/fetch-artifact.ts';
import { destinationNamed, recordedFolder, standingDeliveries } from '../release-folder/recorded-release.ts';
import { openDestination } from '../workspace/open-destination.ts';
import { ensureTrust } from '../workspace/trust.ts';
import { openContext, readWorkspace } from '../workspace/workspace.ts';
import { type Delivery, deliverShipments, isSettled, pendingDelivery, type Shipment } from './deliver.ts';
import { deliveryFailed } from './publish.ts';
import { planShipment, refuseDifferent } from './publish-plan.ts';

/** What is to be copied, from where to where. */
export type PromoteOptions = {
  /** `PACKAGE@VERSION` */
  readonly release: string;
  readonly from: string;
  readonly to: string;
  readonly dryRun: boolean;
};

/** The answer of `promote`. */
export type Promotion = {
  readonly package: string;
  readonly version: string;
  readonly from: string;
  readonly to: string;
  readonly dryRun: boolean;
  readonly deliveries: readonly Delivery[];
  readonly error: BevelstoneError | null;
};

/**
 * Copies the very bytes of a release from one destination to another: fetched, compared with the digests on record,
 * delivered like a publication. Nothing is built.
 * @throws RELEASE_NOT_RECORDED, DELIVERY_DIFFERS when either end holds other bytes, NOTHING_TO_RELEASE.
 */
export async function promoteRelease(
  context: Context,
  options: PromoteOptions,
  confirm: (shipment: Shipment) => Promise<void>,
): Promise<Promotion> {
  const repository = await openContext(context);
  const workspace = await readWorkspace(context, {
    repository,
    commit: await resolveCommit(repository.place, 'HEAD'),
    source: 'commit',
  });
  const [fromConfig, toConfig] = [options.from, options.to].map((name) => destinationNamed(workspace, name));
  if (fromConfig === undefined || toConfig === undefined) throw new Error('two destinations were asked for');
  const release = await readNamedRelease(context, repository, options.release);
  const refusal = refusesRelease(toConfig, release.about);
  if (refusal !== null) throw notTaken(release, options.to, refusal);
  requireVouched(
    release,
    'Fetch the tags and try again: git fetch --tags. Otherwise publish the release from its tagged commit',
  );
  await ensureTrust(context, workspace, [options.from, options.to]);
  const standing = vouchedDeliveries(context, { release, name: options.from, config: fromConfig });
  const wanted = vouchedArtifacts(release).filter(
    ({ file, form }) => takesForm(toConfig, form) && standing.some(({ artifact }) => artifact === file),
  );
  if (wanted.length === 0)
    throw notTaken(release, options.to, `nothing of it at ${options.from} is of a form that it takes`);
  const own = await makeOwnFolder(repository.commonFolder, 'promote');
  const { folder } = own;
  try {
    const from = await openDestination(context, { name: options.from, config: fromConfig, repository });
    const to = await openDestination(context, { name: options.to, config: toConfig, repository });
    for (const artifact of wanted) await fetchArtifact(context, { from, artifact, standing, folder });
    const shipment = await planShipment(recordedFolder(release, wanted, folder), to, { config: toConfig });
    if (shipment.trouble !== null) throw shipment.trouble;
    refuseDifferent([shipment]);
    const outcome = { package: release.package, version: release.version, from: options.from, to: options.to };
    if (options.dryRun) {
      const deliveries = shipment.deliveries.map((delivery) => pendingDelivery(shipment, delivery, null));
      return { ...outcome, dryRun: true, deliveries, error: null };
    }
    if (shipment.deliveries.some(({ presence }) => presence?.type === 'absent')) await confirm(shipment);
    const remote = await remoteOf(repository.place, await currentBranch(repository.place));
    const run = await beginLedgerRun(context, repository, remote);
    const recorded = new Set(
      standingDeliveries(release)
        .get(options.to)
        ?.map(({ artifact }) => artifact),
    );
    const results = await deliverShipments(context, [shipment], {
      writer: run.writer,
      promotedFrom: options.from,
      isRecorded: (_, { file }) => recorded.has(file),
    });
    await run.record(`Record that ${release.package} ${release.version} was promoted to ${options.to}`);
    const deliveries = (results.get(shipment) ?? []).map((delivery) =>
      delivery.state === 'delivered' ? { ...delivery, state: 'promoted' as const } : delivery,
    );
    const failed = deliveries.filter((delivery) => !isSettled(delivery));
    return { ...outcome, dryRun: false, deliveries, error: failed.length === 0 ? null : deliveryFailed(failed) };
  } finally {
    await own.remove();
    await closeConnections();
  }
}

function notTaken({ package: name, version }: LedgerRelease, to: string, why: string): BevelstoneError {
  return new BevelstoneError('NOTHING_TO_RELEASE', {
    message: `${to} accepts no artifact of ${name} ${version}`,
    why,
    fix: 'Check --from and --to, and `takes` and `streams` of the destination',
  });
}
