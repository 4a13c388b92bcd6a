import { createHash } from 'node:crypto';
import path from 'node:path';
import { destinationsOf } from '../../core/config/config.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { inDependencyOrder } from '../../core/plan/delivery-plan.ts';
import type { PushData } from '../../core/record/run-data.ts';
import { lastRecord } from '../../core/record/run-record.ts';
import { faultPoint } from '../../world/fault-point.ts';
import { removeFolder } from '../../world/files.ts';
import {
  addToLedger,
  currentLedger,
  ledgerPaths,
  pushLedger,
  restoreLedger,
  uniteWithRemote,
} from '../../world/git/ledger-store.ts';
import { askVerdict, type PushVerdict, pushRelease, type ReleasePush } from '../../world/git/push-release.ts';
import { makeTag, readLocalTag, tagObject } from '../../world/git/remote-tags.ts';
import type { Repository } from '../../world/git/repository.ts';
import { git } from '../../world/git/run-git.ts';
import { markClosed } from '../../world/journal.ts';
import type { Context } from '../context.ts';
import { type Delivery, deliverShipments, isSettled, pendingDelivery, type Shipment } from '../deliver/deliver.ts';
import { deliveryFailed } from '../deliver/publish.ts';
import { planShipments, refuseDifferent } from '../deliver/publish-plan.ts';
import {
  isRecorded,
  type PublishedRelease,
  planInLedger,
  planOf,
  publishedOf,
  type ReleasePlan,
  tagMessage,
} from '../deliver/published.ts';
import { localReleases } from '../ledger-record/ledger.ts';
import { type ReleaseFolder, readFolders } from '../release-folder/built-release.ts';
import type { Run } from '../run/run.ts';
import { ensureTrust } from '../workspace/trust.ts';
import { readWorkspace, type Workspace } from '../workspace/workspace.ts';
import { runAfterwards } from './afterwards.ts';
import { forgetHandedOut } from './hand-out.ts';
import { type AskMoved, withMovedDestinations } from './moved-destinations.ts';
import { RunLedger } from './run-ledger.ts';
import { settle } from './settle.ts';

/** How a run ended, or where it waits. */
export type FinishedRun = {
  readonly run: string;
  readonly releases: readonly PublishedRelease[];
  readonly advice: readonly string[];
  /** Set when something is left to do. */
  readonly error: BevelstoneError | null;
  /** Whether another release, or a commit, was quicker: nothing of this run is left. */
  readonly isStale: boolean;
};

/** How a run is finished. */
export type FinishOptions = {
  /** Whether commands that may have run already are run again. */
  readonly again: boolean;
  /** Asks whether the rest goes to changed destinations; null for a run that was not stopped. */
  readonly askMoved: AskMoved | null;
};

/**
 * Steps 9 to 17: tags, push, deliveries, pointers, ledger, and what follows. Each asks the owner of the truth before it does
 * anything that an earlier try may have done (docs/design/release-run.md).
 */
export async function finishRun(
  context: Context,
  { repository, run, options }: { readonly repository: Repository; readonly run: Run; readonly options: FinishOptions },
): Promise<FinishedRun> {
  // What has happened must be written down even when the person has asked to stop.
  const lasting: Repository = { ...repository, place: { folder: repository.place.folder, env: repository.place.env } };
  const ledger = new RunLedger(run.journal, run.id);
  const commit = run.journal.done<{ commit: string }>('committed')?.commit ?? run.opened.source;
  const releases = await releasesOf(run);
  const source = options.askMoved === null ? 'commit' : 'released';
  const released = await readWorkspace(context, { repository, commit, source });
  const workspace =
    options.askMoved === null
      ? released
      : await withMovedDestinations(context, {
          repository,
          workspace: released,
          releases,
          ledger,
          ask: options.askMoved,
        });
  await ensureTrust(
    context,
    workspace,
    releases.flatMap(({ record }) => sentTo(workspace, record.package)),
  );
  context.report({ type: 'group', title: 'Push' });
  const stale = await pushAll(context, { repository: lasting, run, pushing: { ledger, releases, workspace } });
  if (stale !== null)
    return { run: run.id, releases: pendingDeliveries(releases, []), advice: [], error: stale, isStale: true };
  context.report({ type: 'group', title: 'Deliveries' });
  const shipments = await planShipments(context, { workspace, releases, ifNone: 'none-is-fine' });
  refuseDifferent(shipments);
  const known = await localReleases(context, repository, { more: ledger.events() });
  const results = await deliverShipments(context, shipments, {
    writer: ledger,
    isRecorded: (shipment, artifact) => isRecorded(shipment, artifact, known),
  });
  context.report({ type: 'group', title: 'Record' });
  await writeLedger(context, { repository: lasting, run, ledger });
  const advice = await settle(context, {
    repository: lasting,
    run,
    settling: { commit, releases, output: workspace.config.output },
  });
  const published = publishedOf(releases, shipments, (shipment) => results.get(shipment) ?? []);
  const failed = [...results.values()].flat().filter((delivery) => !isSettled(delivery));
  if (failed.length > 0 || context.signal.aborted) {
    return { run: run.id, releases: published, advice, error: unfinished(context, run, failed), isStale: false };
  }
  const error = await runAfterwards(context, { run, workspace, releases, again: options.again });
  if (error === null) {
    run.journal.append({ step: 'closed', phase: 'done' });
    await markClosed(run.folder);
    faultPoint('closed', '', 'after-done');
    await forgetHandedOut(lasting, run);
    // The output folder has them, and the journal tells the rest. What cannot be removed now, the next run removes.
    await removeFolder(path.join(run.folder, 'out')).catch(() => {});
  }
  return { run: run.id, releases: published, advice, error, isStale: false };
}

/** The built releases of a run, in the order of their delivery. */
async function releasesOf({ folder, journal }: Run): Promise<ReleaseFolder[]> {
  const found = await readFolders(path.join(folder, 'out'));
  const order = journal.done<string[]>('built') ?? inDependencyOrder(found).map(({ record }) => record.package);
  return order.flatMap((name) => found.find(({ record }) => record.package === name) ?? []);
}

type Pushing = {
  readonly ledger: RunLedger;
  readonly releases: readonly ReleaseFolder[];
  readonly workspace: Workspace;
};

/** Tags, plan and branch go out as one push; the remote decides who has the release. @returns why it is not ours. */
async function pushAll(
  context: Context,
  {
    repository,
    run,
    pushing: { ledger, releases, workspace },
  }: { readonly repository: Repository; readonly run: Run; readonly pushing: Pushing },
): Promise<BevelstoneError | null> {
  const { journal, opened } = run;
  if (journal.isDone('push') || opened.remote === null) return null;
  const before = (lastRecord(journal.records, 'push', { phase: 'intent' })?.data as PushData | undefined)?.ledger;
  const planned = await Promise.all(releases.map((release) => withPlan(release, workspace)));
  const tags = opened.asked.tagged === null ? await makeTags({ repository, run, planned, workspace }) : [];
  for (const { plan, release } of planned) planInLedger(plan, release.record.reasons, ledger);
  const commit = releases[0]?.record.commit ?? opened.source;
  const branch = opened.branch === null || tags.length === 0 ? null : opened.branch;
  const push: ReleasePush = {
    remote: opened.remote,
    branch: branch === null ? null : { name: branch, from: opened.remoteHead, to: commit },
    tags,
  };
  const ledgerBefore = before ?? (await currentLedger(repository.place));
  if (!journal.isMeant('push')) {
    const data: PushData = { ledger: ledgerBefore, push };
    journal.append({ step: 'push', phase: 'intent', data });
  }
  await addMissing(repository, ledger, `Plan ${releases.map(({ record }) => record.tag).join(', ')}`);
  faultPoint('push', '', 'before');
  const what = `push ${tags.map(({ name }) => name).join(', ') || 'the plan'}`;
  context.report({ type: 'started', what });
  // An earlier try may have come through without our seeing the answer.
  const asked = tags.length === 0 ? 'absent' : await askVerdict(repository.place, push);
  const verdict = asked === 'absent' ? await pushOrUndo({ repository, run, push, ledgerBefore }) : asked;
  faultPoint('push', '', 'after-effect');
  if (verdict !== 'won') {
    context.report({
      type: 'failed',
      what,
      why: verdict === 'lost' ? 'another release was pushed first' : 'the branch changed',
    });
    await undo({ repository, run, releasePush: push, ledgerBefore });
    journal.append({ step: 'push', phase: 'failed', data: { verdict } });
    journal.append({ step: 'closed', phase: 'done', data: { verdict } });
    return verdictError(verdict, push);
  }
  journal.append({ step: 'push', phase: 'done' });
  context.report({ type: 'finished', what, detail: `to ${opened.remote}` });
  faultPoint('push', '', 'after-done');
  return null;
}

/** What a remote refuses outright leaves nothing behind here either. */
async function pushOrUndo({
  repository,
  run,
  push,
  ledgerBefore,
}: {
  readonly repository: Repository;
  readonly run: Run;
  readonly push: ReleasePush;
  readonly ledgerBefore: string | null;
}): Promise<PushVerdict> {
  try {
    return await pushRelease(repository, push);
  } catch (error) {
    await undo({ repository, run, releasePush: push, ledgerBefore });
    run.journal.append({ step: 'push', phase: 'failed' });
    throw error;
  }
}

/** Takes back what only this machine has: its own tags, by their ids, and the plan in the local ledger. */
async function undo({
  repository,
  run: { journal },
  releasePush: { remote, tags },
  ledgerBefore,
}: {
  readonly repository: Repository;
  readonly run: Run;
  readonly releasePush: ReleasePush;
  readonly ledgerBefore: string | null;
}): Promise<void> {
  const { place } = repository;
  for (const { name, id } of tags) await git(place, ['update-ref', '-d', `refs/tags/${name}`, id], { allow: [1, 128] });
  for (const { name } of tags) journal.append({ step: 'tagged', key: name, phase: 'failed' });
  await restoreLedger(place, ledgerBefore);
  await uniteWithRemote(repository, remote);
}

function sentTo({ packages }: Workspace, name: string): readonly string[] {
  const own = packages.find((pkg) => pkg.name === name);
  return own === undefined ? [] : destinationsOf(own.config);
}

/** A release with the plan that its tag vouches for. */
type PlannedRelease = { readonly release: ReleaseFolder; readonly plan: ReleasePlan };

async function withPlan(release: ReleaseFolder, { packages }: Workspace): Promise<PlannedRelease> {
  const own = packages.find(({ name }) => name === release.record.package);
  return { release, plan: await planOf(release, own === undefined ? [] : destinationsOf(own.config)) };
}

async function makeTags({
  repository,
  run: { journal, opened },
  planned,
  workspace,
}: {
  readonly repository: Repository;
  readonly run: Run;
  readonly planned: readonly PlannedRelease[];
  readonly workspace: Workspace;
}): Promise<{ name: string; id: string }[]> {
  const tags: { name: string; id: string }[] = [];
  for (const { release, plan } of planned) {
    const { record } = release;
    const name = record.tag;
    const known = lastRecord(journal.records, 'tagged', { key: name });
    if (known?.phase === 'done') {
      tags.push({ name, id: (known.data as { id: string }).id });
      continue;
    }
    faultPoint('tagged', name, 'before');
    if ((await readLocalTag(repository.place, name)) === null) {
      const message = await tagMessage(release, plan, opened.mark);
      const isSigned = workspace.config['write-back'].sign;
      await makeTag({
        place: repository.place,
        name,
        commit: record.commit,
        message,
        tagMaking: { time: opened.time, isSigned },
      });
    }
    faultPoint('tagged', name, 'after-effect');
    const id = await tagObject(repository.place, name);
    journal.append({ step: 'tagged', key: name, phase: 'done', data: { name, id } });
    faultPoint('tagged', name, 'after-done');
    tags.push({ name, id });
  }
  return tags;
}

/** Writes the events of this run that are missing in the ledger, here and on the remote. */
async function writeLedger(
  context: Context,
  { repository, run, ledger }: { readonly repository: Repository; readonly run: Run; readonly ledger: RunLedger },
): Promise<void> {
  const { journal, opened } = run;
  const files = ledger.files();
  const key = createHash('sha256')
    .update(files.map((file) => file.path).join('\n'))
    .digest('hex');
  if (lastRecord(journal.records, 'ledgered', { phase: 'done' })?.input === key || opened.remote === null) return;
  faultPoint('ledgered', '', 'before');
  context.report({ type: 'started', what: 'ledger' });
  await addMissing(repository, ledger, `Record run ${run.id}`);
  await uniteWithRemote(repository, opened.remote);
  await pushLedger(repository, opened.remote, []);
  faultPoint('ledgered', '', 'after-effect');
  journal.append({ step: 'ledgered', phase: 'done', input: key });
  context.report({ type: 'finished', what: 'ledger', detail: `${files.length} records` });
  faultPoint('ledgered', '', 'after-done');
}

async function addMissing(repository: Repository, ledger: RunLedger, message: string): Promise<void> {
  const noted = ledger.files();
  const there = await ledgerPaths(repository, noted);
  const files = noted.filter((file) => !there.has(file.path));
  if (files.length > 0) await addToLedger(repository, files, message);
}

/** Releases as they are before anything is sent. */
export function pendingDeliveries(
  releases: readonly ReleaseFolder[],
  shipments: readonly Shipment[],
): PublishedRelease[] {
  return publishedOf(releases, shipments, (shipment) =>
    shipment.deliveries.map((planned) => pendingDelivery(shipment, planned, null)),
  );
}

/** The error for a release that was made elsewhere at the same moment. */
export function lostError(remote: string, tags: readonly string[]): BevelstoneError {
  return new BevelstoneError('TAG_ELSEWHERE', {
    message: `${remote} already has ${tags.join(' or ')}`,
    why: 'another release was pushed first',
    fix: 'Run: git pull, and survey again. Nothing of this run is public; its local tags were deleted',
  });
}

function verdictError(verdict: Exclude<PushVerdict, 'won'>, { remote, branch, tags }: ReleasePush): BevelstoneError {
  if (verdict === 'lost')
    return lostError(
      remote,
      tags.map(({ name }) => name),
    );
  return new BevelstoneError('RUN_STALE', {
    message: `${branch?.name ?? 'The branch'} changed on ${remote} during the release`,
    why: 'a commit was pushed that this release would not contain',
    fix: 'Run: git pull, then release again. Nothing of this run is public; its local tags were deleted',
  });
}

function unfinished(context: Context, { id }: Run, failed: readonly Delivery[]): BevelstoneError {
  const fix = `Run: bevelstone release --resume ${id}`;
  if (context.signal.aborted) {
    const why = 'the program received a signal; all uploads so far are recorded';
    return new BevelstoneError('CUT_SHORT', { message: 'stopped before the end', why, fix, resume: id });
  }
  const { code, message, why, fix: advice } = deliveryFailed(failed);
  const isUnconfirmed = code === 'NOT_CONFIRMED';
  const isDisk = code === 'DISK_FULL' || code === 'DISK_FAULT';
  return new BevelstoneError(code, {
    message,
    why,
    fix: isUnconfirmed
      ? advice.replace('Run the same command again later', `${fix} later`)
      : isDisk
        ? `Make room or check the disk. ${fix}`
        : `Fix the problem at ${failed[0]?.destination}, or correct its address or credential in bevelstone.yaml. ${fix}; it asks first and uploads only what is missing`,
    resume: id,
  });
}
