import { randomBytes } from 'node:crypto';
import { destinationsOf } from '../../core/config/config.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { inDependencyOrder } from '../../core/plan/delivery-plan.ts';
import type { SurfaceCheck } from '../../core/surface/check.ts';
import { currentLedger, pushLedger, restoreLedger } from '../../world/git/ledger-store.ts';
import { makeTag, readLocalTag } from '../../world/git/remote-tags.ts';
import { type Repository, resolveCommit } from '../../world/git/repository.ts';
import { git } from '../../world/git/run-git.ts';
import { closeConnections } from '../../world/http.ts';
import { refusal, verifyReleases } from '../artifact/verify.ts';
import type { Context } from '../context.ts';
import { beginLedgerRun } from '../ledger-record/ledger-run.ts';
import type { LedgerWriter } from '../ledger-record/ledger-writer.ts';
import { builtReleases, type ReleaseFolder } from '../release-folder/built-release.ts';
import { withSurfaces } from '../surface/record-surfaces.ts';
import { ensureTrust } from '../workspace/trust.ts';
import { openContext, readWorkspace, type Workspace } from '../workspace/workspace.ts';
import { type Delivery, deliverShipments, isSettled, pendingDelivery, type Shipment } from './deliver.ts';
import { checkNarrow } from './narrow-credential.ts';
import {
  type PublishPlan,
  planShipments,
  planTags,
  refuseDifferent,
  type TagOptions,
  type TagPlan,
} from './publish-plan.ts';
import {
  isRecorded,
  type PublishedRelease,
  planInLedger,
  planOf,
  publishedOf,
  type ReleasePlan,
  tagMessage,
} from './published.ts';

/** The answer of `publish`. */
export type Publication = {
  readonly run: string;
  readonly dryRun: boolean;
  readonly releases: readonly PublishedRelease[];
  /** Set when some delivery failed. */
  readonly error: BevelstoneError | null;
};

/**
 * Delivers what was built for this commit: rules first, then the destinations are asked, then the person, then tag and
 * plan are pushed, and only then anything is uploaded.
 * @param confirm asks the person; throws to stop.
 * @throws RULES_REFUSED, TAG_NOT_PUSHED, DELIVERY_DIFFERS, NOTHING_TO_RELEASE and whatever a destination says before the first upload.
 */
export async function publish(
  context: Context,
  options: TagOptions,
  confirm: (plan: PublishPlan) => Promise<void>,
): Promise<Publication> {
  const repository = await openContext(context);
  const commit = await resolveCommit(repository.place, 'HEAD');
  const workspace = await readWorkspace(context, { repository, commit, source: 'commit' });
  const built = inDependencyOrder(await builtReleases(context, workspace, commit));
  await ensureTrust(
    context,
    workspace,
    built.flatMap((release) => sendTo(workspace, release)),
  );
  const surfaces = await refuseByRules(context, workspace, built);
  const releases = options.dryRun ? built : await withSurfaces(workspace, built, surfaces);
  try {
    const shipments = await planShipments(context, { workspace, releases });
    refuseDifferent(shipments);
    const tags = await planTags(context, { repository, shipments, options });
    // Once something is public the rest is finished; before, nothing begins that can't be finished.
    const trouble = shipments.find((shipment) => shipment.trouble !== null)?.trouble ?? null;
    if (trouble !== null && tags.missing.length > 0 && !options.dryRun) throw trouble;
    const news = shipments.filter(({ deliveries }) => deliveries.some(({ presence }) => presence?.type === 'absent'));
    if (options.dryRun) return { run: '', dryRun: true, releases: pendingReleases(releases, shipments), error: null };
    await checkNarrow(context, { repository, workspace, shipments: news });
    const plan: PublishPlan = { shipments, tagsToPush: tags.missing, remote: tags.remote };
    if (tags.missing.length > 0 || news.length > 0) await confirm(plan);
    return await deliverAll(context, repository, { releases, shipments, tags });
  } finally {
    await closeConnections();
  }
}

function sendTo({ packages }: Workspace, { record }: ReleaseFolder): readonly string[] {
  const own = packages.find(({ name }) => name === record.package);
  return own === undefined ? [] : destinationsOf(own.config);
}

async function refuseByRules(
  context: Context,
  workspace: Workspace,
  releases: readonly ReleaseFolder[],
): Promise<readonly SurfaceCheck[]> {
  context.report({ type: 'started', what: 'verify' });
  const verification = await verifyReleases(context, workspace, releases);
  const error = refusal(verification);
  if (error !== null) throw error;
  const count = verification.artifacts.length;
  context.report({ type: 'finished', what: 'verify', detail: `${count} ${count === 1 ? 'artifact' : 'artifacts'}` });
  return verification.surfaces;
}

type Work = {
  readonly releases: readonly ReleaseFolder[];
  readonly shipments: readonly Shipment[];
  readonly tags: TagPlan;
};

async function deliverAll(
  context: Context,
  repository: Repository,
  { releases, shipments, tags }: Work,
): Promise<Publication> {
  const ledger = await beginLedgerRun(context, repository, tags.remote);
  const { run, writer, known } = ledger;
  const plans = new Map<ReleaseFolder, ReleasePlan>();
  for (const release of releases) {
    const { package: name, version } = release.record;
    const own = shipments.filter((shipment) => shipment.release.record === release.record);
    const plan = await planOf(release, [...new Set(own.map(({ destination }) => destination.name))]);
    plans.set(release, plan);
    if (!known.some((recorded) => recorded.package === name && recorded.version === version))
      planInLedger(plan, release.record.reasons, writer);
  }
  if (tags.missing.length > 0) await pushPlan(context, { repository, wanted: { plans, tags }, writer });
  const results = await deliverShipments(context, shipments, {
    writer,
    isRecorded: (shipment, artifact) => isRecorded(shipment, artifact, known),
  });
  const names = releases.map(({ record }) => `${record.package} ${record.version}`).join(', ');
  await ledger.record(`Record deliveries of ${names}`);
  const published = publishedOf(releases, shipments, (shipment) => results.get(shipment) ?? []);
  const failed = [...results.values()]
    .flat()
    .filter((delivery) => !isSettled(delivery) && delivery.state !== 'pending');
  const error = context.signal.aborted ? cutShort() : failed.length === 0 ? null : deliveryFailed(failed);
  return { run, dryRun: false, releases: published, error };
}

/** Tags and plan go out as one push before any file does; from then on any clone can finish. */
async function pushPlan(
  context: Context,
  {
    repository,
    wanted: { plans, tags },
    writer,
  }: {
    readonly repository: Repository;
    readonly wanted: { readonly plans: ReadonlyMap<ReleaseFolder, ReleasePlan>; readonly tags: TagPlan };
    readonly writer: LedgerWriter;
  },
): Promise<void> {
  const { remote, missing } = tags;
  if (remote === null) return;
  context.report({ type: 'started', what: `push ${missing.join(', ')}` });
  const mark = randomBytes(16).toString('hex');
  const made: string[] = [];
  const before = await currentLedger(repository.place);
  for (const [release, plan] of plans) {
    const { tag, commit } = release.record;
    if (!missing.includes(tag)) continue;
    if ((await readLocalTag(repository.place, tag)) !== null) continue;
    await makeTag({ place: repository.place, name: tag, commit, message: await tagMessage(release, plan, mark) });
    made.push(tag);
  }
  await writer.flush(`Plan ${missing.join(', ')}`);
  try {
    const end = await pushLedger(repository, remote, missing);
    if (end === 'done') {
      context.report({ type: 'finished', what: `push ${missing.join(', ')}`, detail: `to ${remote}` });
      return;
    }
    throw new BevelstoneError('TAG_ELSEWHERE', {
      message: `${remote} already has ${missing.join(' or ')}`,
      why: 'another release was pushed first',
      fix: 'Run git fetch, then survey again; nothing was uploaded',
    });
  } catch (error) {
    for (const tag of made) await git(repository.place, ['tag', '--delete', tag]);
    await restoreLedger(repository.place, before);
    throw error;
  }
}

function pendingReleases(releases: readonly ReleaseFolder[], shipments: readonly Shipment[]): PublishedRelease[] {
  return publishedOf(releases, shipments, (shipment) =>
    shipment.deliveries.map((planned) => {
      const { presence } = planned;
      const pending = pendingDelivery(shipment, planned, shipment.trouble?.message ?? null);
      return presence?.type === 'same'
        ? { ...pending, state: 'already-there' as const, address: presence.address }
        : pending;
    }),
  );
}

/** The error for deliveries of which some failed or are not confirmed. */
export function deliveryFailed(failed: readonly Delivery[]): BevelstoneError {
  const [first] = failed;
  const full = failed.find(({ code }) => code === 'DISK_FULL' || code === 'DISK_FAULT');
  if (full !== undefined) {
    return new BevelstoneError(full.code === 'DISK_FULL' ? 'DISK_FULL' : 'DISK_FAULT', {
      message: `${full.artifact} could not be uploaded to ${full.destination}`,
      why: full.why ?? '',
      fix: 'Make room or check the disk, then run the same command again: it checks each destination and uploads only what is missing',
    });
  }
  if (failed.every(({ isUnconfirmed }) => isUnconfirmed)) {
    return new BevelstoneError('NOT_CONFIRMED', {
      message: `${failed.length} ${failed.length === 1 ? 'delivery is' : 'deliveries are'} not confirmed`,
      why: failed.map(({ artifact, destination, why }) => `${artifact} at ${destination}: ${why}`).join('\n'),
      fix: `Run the same command again later, or set \`confirm: later\` for ${first?.destination} if its files cannot be downloaded from here`,
    });
  }
  return new BevelstoneError('DELIVERY_FAILED', {
    message: `${failed.length} ${failed.length === 1 ? 'delivery' : 'deliveries'} failed`,
    why: failed.map(({ artifact, destination, why }) => `${artifact} to ${destination}: ${why}`).join('\n'),
    fix: `Fix the problem at ${first?.destination}, then run the same command again: it checks each destination and uploads only what is missing`,
  });
}

function cutShort(): BevelstoneError {
  return new BevelstoneError('CUT_SHORT', {
    message: 'stopped before the end',
    why: 'the program received a signal; all uploads so far are recorded',
    fix: 'Run the same command again: it checks each destination and uploads only what is missing',
  });
}
