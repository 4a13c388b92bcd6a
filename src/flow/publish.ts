import { randomBytes } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import path from 'node:path';
import { BevelstoneError, isBevelstoneError } from '../core/error/bevelstone-error.ts';
import { foldEvents, type LedgerRelease } from '../core/ledger/event.ts';
import type { Destination, Parcel } from '../destination/destination.ts';
import { currentLedger, pushLedger, readEvents, restoreLedger, uniteWithRemote } from '../world/git/ledger-store.ts';
import { makeTag, readLocalTag } from '../world/git/remote-tags.ts';
import { checkIdentity, type Repository, resolveCommit } from '../world/git/repository.ts';
import { git } from '../world/git/run-git.ts';
import { closeConnections } from '../world/http.ts';
import { builtReleases, type ReleaseFolder } from './built-release.ts';
import { type Context, warn } from './context.ts';
import { contentsFile, LedgerWriter } from './ledger-writer.ts';
import {
  inDependencyOrder,
  type PlannedDelivery,
  type PublishPlan,
  parcelOf,
  planDeliveries,
  planTags,
  refuseDifferent,
  type TagOptions,
  type TagPlan,
} from './publish-plan.ts';
import { refusal, verifyReleases } from './verify.ts';
import { openContext, readWorkspace, type Workspace } from './workspace.ts';

/** One artifact at one destination. */
export type Delivery = {
  readonly destination: string;
  readonly artifact: string;
  readonly state: 'delivered' | 'already-there' | 'failed' | 'pending';
  readonly confirmed: 'bytes' | 'entries' | 'no';
  readonly why: string | null;
  readonly address: string | null;
  readonly sha256: string;
};

/** One release with its deliveries. */
export type PublishedRelease = {
  readonly package: string;
  readonly version: string;
  readonly tag: string;
  readonly commit: string;
  readonly source: string;
  readonly deliveries: readonly Delivery[];
};

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
  const workspace = await readWorkspace(context, repository, commit, 'commit');
  const releases = inDependencyOrder(await builtReleases(context, workspace, commit));
  await refuseByRules(context, workspace, releases);
  try {
    const deliveries = await planDeliveries(context, workspace, releases);
    refuseDifferent(deliveries);
    const tags = await planTags(context, repository, deliveries, options);
    const plan: PublishPlan = { deliveries, tagsToPush: tags.missing, remote: tags.remote };
    if (options.dryRun) return { run: '', dryRun: true, releases: pendingReleases(releases, deliveries), error: null };
    const isNews = tags.missing.length > 0 || deliveries.some(({ presence }) => presence.type === 'absent');
    if (isNews) await confirm(plan);
    return await deliverAll(context, repository, { releases, deliveries, tags });
  } finally {
    await closeConnections();
  }
}

async function refuseByRules(
  context: Context,
  workspace: Workspace,
  releases: readonly ReleaseFolder[],
): Promise<void> {
  context.report({ type: 'started', what: 'verify' });
  const verification = await verifyReleases(context, workspace, releases);
  const error = refusal(verification);
  if (error !== null) throw error;
  const count = verification.artifacts.length;
  context.report({ type: 'finished', what: 'verify', detail: `${count} ${count === 1 ? 'artifact' : 'artifacts'}` });
}

type Work = {
  readonly releases: readonly ReleaseFolder[];
  readonly deliveries: readonly PlannedDelivery[];
  readonly tags: TagPlan;
};

async function deliverAll(
  context: Context,
  repository: Repository,
  { releases, deliveries, tags }: Work,
): Promise<Publication> {
  const run = `${context.now().toISOString().slice(0, 19).replace(/[-:]/g, '').replace('T', '-')}-${randomBytes(4).toString('hex')}`;
  // What has happened must be recorded even when the person has asked to stop.
  const lasting: Repository = { ...repository, place: { folder: repository.place.folder, env: repository.place.env } };
  const writer = new LedgerWriter(context, lasting, run);
  const canRecord = await hasIdentity(repository);
  if (tags.remote !== null) await uniteWithRemote(repository, tags.remote);
  const known = foldEvents(await readEvents(repository));
  for (const release of releases) await addPlan(release, deliveries, known, writer);
  if (tags.missing.length > 0) await pushPlan(context, repository, { releases, deliveries, tags }, writer);
  const done: { planned: PlannedDelivery; delivery: Delivery }[] = [];
  const failedAt = new Set<string>();
  for (const planned of deliveries) {
    const delivery = context.signal.aborted
      ? pending(planned, 'interrupted')
      : failedAt.has(planned.destination.name)
        ? pending(planned, 'an earlier delivery there failed')
        : await deliverOne(context, planned, isRecorded(planned, known) ? null : writer);
    if (delivery.state === 'failed') failedAt.add(planned.destination.name);
    done.push({ planned, delivery });
  }
  if (canRecord) await record(context, lasting, tags.remote, writer, releases);
  else warn(context, 'git does not know who commits, so the ledger was not written');
  const published = releases.map(({ record: { package: name, version, tag, commit, source } }) => ({
    package: name,
    version,
    tag,
    commit,
    source,
    deliveries: done.filter(({ planned }) => planned.release.record.package === name).map(({ delivery }) => delivery),
  }));
  const failed = done.map(({ delivery }) => delivery).filter(({ state }) => state === 'failed');
  const error = context.signal.aborted ? cutShort() : failed.length === 0 ? null : deliveryFailed(failed);
  return { run, dryRun: false, releases: published, error };
}

/** The plan of a release goes into the ledger once, before anything is uploaded. */
async function addPlan(
  { folder, record: one }: ReleaseFolder,
  deliveries: readonly PlannedDelivery[],
  known: readonly LedgerRelease[],
  writer: LedgerWriter,
): Promise<void> {
  const { package: name, version, commit, source, tag, artifacts, bills } = one;
  if (known.some((release) => release.package === name && release.version === version)) return;
  const text = await readFile(path.join(folder, 'CONTENTS.json'), 'utf8');
  const contents = contentsFile(text);
  const destinations = [
    ...new Set(deliveries.filter(({ release }) => release.record === one).map(({ destination }) => destination.name)),
  ];
  writer.add(
    {
      type: 'planned',
      package: name,
      version,
      commit,
      source,
      tag,
      artifacts: [...artifacts, ...bills],
      destinations,
      contents: contents.sha256,
    },
    { [contents.name]: text },
  );
}

/** Whether the ledger already holds this very delivery, confirmed. */
function isRecorded({ release, artifact, destination }: PlannedDelivery, known: readonly LedgerRelease[]): boolean {
  const { package: name, version } = release.record;
  const deliveries = known.find((one) => one.package === name && one.version === version)?.deliveries ?? [];
  return deliveries.some(
    (one) => one.destination === destination.name && one.artifact === artifact.file && one.confirmed === 'bytes',
  );
}

/** Tags and plan go out as one push before any file does; from then on any clone can finish. */
async function pushPlan(
  context: Context,
  repository: Repository,
  { releases, tags }: Work,
  writer: LedgerWriter,
): Promise<void> {
  const { remote, missing } = tags;
  if (remote === null) return;
  context.report({ type: 'started', what: `push ${missing.join(', ')}` });
  const mark = randomBytes(16).toString('hex');
  const made: string[] = [];
  const before = await currentLedger(repository.place);
  for (const { folder, record: one } of releases.filter(({ record: { tag } }) => missing.includes(tag))) {
    if ((await readLocalTag(repository.place, one.tag))?.isAnnotated !== true) {
      const notes = (await readFile(path.join(folder, 'NOTES.md'), 'utf8')).replace(/^## .*\n+/, '').trim();
      const text = notes === '' ? one.reasons.join('\n') : notes;
      const message = `${one.package} ${one.version}\n\n${text}\n\nBevelstone-Run: ${mark}\n`;
      await makeTag(repository.place, one.tag, one.commit, message);
      made.push(one.tag);
    }
  }
  await writer.flush(`Plan ${missing.join(', ')}`);
  try {
    const end = await pushLedger(repository, remote, missing);
    if (end === 'done') {
      context.report({ type: 'finished', what: `push ${missing.join(', ')}`, detail: `to ${remote}` });
      return;
    }
    throw new BevelstoneError('TAG_ELSEWHERE', {
      message: `${remote} has ${missing.join(' or ')} already`,
      why: 'somebody else released at the same moment; their tag came first',
      fix: 'Fetch, and survey again; nothing was uploaded from here',
    });
  } catch (error) {
    for (const tag of made) await git(repository.place, ['tag', '--delete', tag]);
    await restoreLedger(repository.place, before);
    throw error;
  }
}

async function deliverOne(context: Context, planned: PlannedDelivery, writer: LedgerWriter | null): Promise<Delivery> {
  const { release, artifact, destination, presence } = planned;
  const { package: name, version } = release.record;
  const what = `${artifact.file} to ${destination.name}`;
  const common = { package: name, version, destination: destination.name, artifact: artifact.file };
  context.report({ type: 'started', what });
  try {
    const parcel = await parcelOf(release, artifact);
    const { address, isThere } =
      presence.type === 'same' ? { address: presence.address, isThere: true } : await send(destination, parcel);
    writer?.add({ type: 'delivered', ...common, sha256: artifact.sha256, address, alreadyThere: isThere });
    const { confirmed, why } = await destination.confirm(parcel, address);
    writer?.add({ type: 'confirmed', ...common, confirmed, why });
    if (confirmed === 'no') warn(context, `${what} is delivered but not confirmed: ${why}`);
    const pointed = await destination.point(parcel);
    if (pointed !== null && (pointed.moved || !isThere)) {
      writer?.add({
        type: 'pointed',
        package: name,
        version,
        destination: destination.name,
        pointer: pointed.pointer,
        from: pointed.moved ? pointed.from : null,
      });
    }
    const pointer = pointed === null ? '' : `, ${pointed.pointer}`;
    context.report({ type: 'finished', what, detail: `${isThere ? 'already there' : 'delivered'}${pointer}` });
    return { ...blank(planned), state: isThere ? 'already-there' : 'delivered', confirmed, why, address };
  } catch (error) {
    if (context.signal.aborted) return { ...blank(planned), state: 'failed', why: 'interrupted' };
    if (!isBevelstoneError(error)) throw error;
    context.report({ type: 'failed', what, why: `${error.message}: ${error.why}` });
    return {
      ...blank(planned),
      state: 'failed',
      confirmed: 'no',
      why: `${error.message}: ${error.why}`,
      address: null,
    };
  }
}

/** Sends a parcel. Where that fails the destination is asked: the answer may have been lost, or another run was quicker. */
async function send(destination: Destination, parcel: Parcel): Promise<{ address: string; isThere: boolean }> {
  try {
    return { address: await destination.deliver(parcel), isThere: false };
  } catch (error) {
    if (!isBevelstoneError(error, 'DESTINATION_REFUSED', 'DESTINATION_UNREACHABLE', 'DESTINATION_ANSWER')) throw error;
    const found = await destination.find(parcel).catch(() => null);
    if (found?.type === 'same') return { address: found.address, isThere: true };
    throw error;
  }
}

async function record(
  context: Context,
  repository: Repository,
  remote: string | null,
  writer: LedgerWriter,
  releases: readonly ReleaseFolder[],
): Promise<void> {
  const names = releases.map(({ record: { package: name, version } }) => `${name} ${version}`).join(', ');
  if (!(await writer.flush(`Record deliveries of ${names}`)) || remote === null) return;
  try {
    await pushLedger(repository, remote, []);
  } catch (error) {
    if (!isBevelstoneError(error, 'REMOTE_REFUSED', 'LEDGER_CONTENDED')) throw error;
    warn(context, `the ledger is written here and could not be pushed to ${remote}: ${error.why}`);
  }
}

async function hasIdentity({ place }: Repository): Promise<boolean> {
  try {
    await checkIdentity(place);
    return true;
  } catch (error) {
    if (isBevelstoneError(error, 'IDENTITY_MISSING')) return false;
    throw error;
  }
}

function pendingReleases(
  releases: readonly ReleaseFolder[],
  deliveries: readonly PlannedDelivery[],
): PublishedRelease[] {
  return releases.map(({ record: { package: name, version, tag, commit, source } }) => ({
    package: name,
    version,
    tag,
    commit,
    source,
    deliveries: deliveries
      .filter(({ release }) => release.record.package === name)
      .map((planned) =>
        planned.presence.type === 'same'
          ? { ...blank(planned), state: 'already-there' as const, address: planned.presence.address }
          : pending(planned, null),
      ),
  }));
}

function blank({ destination, artifact }: PlannedDelivery): Delivery {
  const { file, sha256 } = artifact;
  return {
    destination: destination.name,
    artifact: file,
    state: 'pending',
    confirmed: 'no',
    why: null,
    address: null,
    sha256,
  };
}

function pending(planned: PlannedDelivery, why: string | null): Delivery {
  return { ...blank(planned), why };
}

function deliveryFailed(failed: readonly Delivery[]): BevelstoneError {
  const [first] = failed;
  return new BevelstoneError('DELIVERY_FAILED', {
    message: `${failed.length} ${failed.length === 1 ? 'delivery' : 'deliveries'} failed`,
    why: failed.map(({ artifact, destination, why }) => `${artifact} to ${destination}: ${why}`).join('\n'),
    fix: `Settle that with ${first?.destination}, then run the same command again: it asks first and sends only what lacks`,
  });
}

function cutShort(): BevelstoneError {
  return new BevelstoneError('CUT_SHORT', {
    message: 'Stopped half-way',
    why: 'the program was asked to stop; what was delivered until then is recorded',
    fix: 'Run the same command again: it asks first and sends only what lacks',
  });
}
