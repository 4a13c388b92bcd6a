import path from 'node:path';
import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { chooseRun, isUnreadable, type KnownRun, noRun } from '../../core/plan/choose-run.ts';
import type { EventData } from '../../core/record/run-data.ts';
import { lastRecord } from '../../core/record/run-record.ts';
import { shellWord } from '../../core/text/shell-word.ts';
import { pushLedger, uniteWithRemote } from '../../world/git/ledger-store.ts';
import { sweepRefLocks } from '../../world/git/ref-locks.ts';
import { readRemoteRefs } from '../../world/git/remote-refs.ts';
import type { Repository } from '../../world/git/repository.ts';
import { git } from '../../world/git/run-git.ts';
import { closeConnections } from '../../world/http.ts';
import { markClosed } from '../../world/journal.ts';
import { sweepLeftovers } from '../../world/leftovers.ts';
import { takeLock } from '../../world/run-lock.ts';
import type { Context } from '../context.ts';
import { planShipments } from '../deliver/publish-plan.ts';
import { LedgerWriter } from '../ledger-record/ledger-writer.ts';
import { readFolders } from '../release-folder/built-release.ts';
import { dropRun } from '../run/drop-run.ts';
import { removeMarkedTags, removeOwnTags } from '../run/own-tags.ts';
import { continueRun, lockFolder, openRuns, type Run, refuseNewer } from '../run/run.ts';
import { openContext, readWorkspace } from '../workspace/workspace.ts';
import { forgetHandedOut } from './hand-out.ts';
import { repairRun } from './repair.ts';

/** What became of a run that was given up. */
export type Abandoned = {
  readonly run: string;
  /** What was taken away, and what stays. */
  readonly advice: readonly string[];
};

/**
 * Gives a run up. Before its push nothing is left of it; after the push and before any delivery its tags are taken back from the
 * remote when the person says so; after a delivery nothing is taken back, and the ledger says that it was left at that.
 * @param confirm asks whether tags are deleted on the remote; throws to stop.
 * @throws RUN_NOT_FOUND, RUN_BUSY
 */
export async function abandon(
  context: Context,
  named: string | null,
  confirm: (tags: readonly string[], remote: string) => Promise<void>,
): Promise<Abandoned> {
  const repository = await openContext(context);
  const unlock = await takeLock(lockFolder(repository));
  try {
    await sweepLeftovers(repository.commonFolder);
    await sweepRefLocks(repository.commonFolder);
    const known = chooseRun(await openRuns(repository, true), named);
    if (known === null) throw noRun();
    refuseNewer(known);
    if (isUnreadable(known)) return { run: known.id, advice: await giveUpUnreadable(repository, known) };
    const run = await continueRun(context, known, true);
    try {
      // Without its remote a damaged journal is taken as it is: giving up must always work.
      await repairRun(context, repository, run).catch((error: unknown) => {
        if (!isBevelstoneError(error, 'REMOTE_REFUSED')) throw error;
      });
      return { run: run.id, advice: await giveUp(context, { repository, run, confirm }) };
    } finally {
      run.journal.close();
    }
  } finally {
    await unlock();
  }
}

/** All that is known of it is its ref, and tags at its commit. */
async function giveUpUnreadable(repository: Repository, known: KnownRun): Promise<string[]> {
  const removed = await removeMarkedTags(repository, known.id);
  await dropRun(repository, known);
  return [
    'its journal could not be read; this clone has nothing of it any more',
    ...(removed.length === 0 ? [] : [`deleted here: the tags ${removed.join(', ')}`]),
    'if it was pushed, its tags are on the remote still: fetch them, and look at bevelstone ledger list',
  ];
}

async function giveUp(
  context: Context,
  {
    repository,
    run,
    confirm,
  }: {
    readonly repository: Repository;
    readonly run: Run;
    readonly confirm: (tags: readonly string[], remote: string) => Promise<void>;
  },
): Promise<string[]> {
  const { journal, opened } = run;
  const { remote } = opened;
  const tags = await pushedTags(repository, run);
  if (tags === null) return giveUpUnasked(repository, run);
  const isPublic = tags.length > 0 || journal.isDone('push');
  if (!isPublic || remote === null) {
    const removed = await removeOwnTags(repository, run);
    await forgetHandedOut(repository, run);
    await dropRun(repository, run);
    return [
      'nothing of it was public',
      ...(removed.length === 0 ? [] : [`deleted here: the tags ${removed.join(', ')}`]),
    ];
  }
  // A run started on another machine, or of an existing tag, has no tag of ours to delete.
  const { arrived, unknown } = await whatArrived(context, repository, run);
  const advice: string[] = [];
  if (arrived.length > 0 || unknown.length > 0) {
    if (arrived.length > 0) advice.push('some of it is delivered, and stays', ...wayBack(arrived));
    advice.push(...unknown, ...(unknown.length > 0 ? ['so its tags stay where they are'] : []));
  } else if (tags.length === 0) {
    advice.push('nothing was delivered from here, and its tags stay where they are');
  } else {
    const names = tags.map(({ name }) => name);
    await confirm(names, remote);
    // By their ids, so that a tag made by others stays.
    const leases = tags.map(({ name, id }) => `--force-with-lease=refs/tags/${name}:${id}`);
    const refs = names.map((name) => `:refs/tags/${name}`);
    await git(repository.place, ['push', '--atomic', '--porcelain', '--no-verify', ...leases, remote, ...refs]);
    await removeOwnTags(repository, run);
    advice.push('nothing was delivered', `deleted here and on ${remote}: the tags ${names.join(', ')}`);
    if (opened.branch !== null && journal.done<{ commit: string }>('committed')?.commit !== opened.source)
      advice.push(`the commit with the versions stays on ${opened.branch}; to undo it there: git revert`);
  }
  const isRecorded = await recordAbandoned(context, { repository, run, remote });
  journal.append({ step: 'closed', phase: 'done', data: { abandoned: true } });
  await markClosed(run.folder);
  return [
    ...advice,
    isRecorded
      ? 'the ledger says that it was abandoned'
      : `the ledger here says that it was abandoned; it could not be pushed to ${remote}`,
  ];
}

/** A release that is at a destination. */
type Arrived = { readonly name: string; readonly version: string; readonly destination: string };

/**
 * What of a run is at its destinations: what the journal knows of, and for an upload that was begun and not seen to end, what
 * the destination says. @returns `unknown`: one sentence for each destination that could not be asked.
 */
async function whatArrived(
  context: Context,
  repository: Repository,
  { folder, journal, opened }: Run,
): Promise<{ readonly arrived: readonly Arrived[]; readonly unknown: readonly string[] }> {
  const sent = journal.records.filter(({ step }) => step === 'sent');
  const arrived = sent.flatMap(({ phase, data }): Arrived[] => {
    const event = phase === 'done' ? (data as EventData).event : null;
    return event?.type === 'delivered'
      ? [{ name: event.package, version: event.version, destination: event.destination }]
      : [];
  });
  if (sent.length === 0 || arrived.length > 0) return { arrived, unknown: [] };
  try {
    const commit = journal.done<{ commit: string }>('committed')?.commit ?? opened.source;
    const workspace = await readWorkspace(context, { repository, commit, source: 'commit' });
    const releases = await readFolders(path.join(folder, 'out'));
    const shipments = await planShipments(context, { workspace, releases, ifNone: 'none-is-fine' });
    const found = shipments.filter(({ deliveries }) => deliveries.some(({ presence }) => presence?.type === 'same'));
    return {
      arrived: found.map(({ release: { record }, destination }) => ({
        name: record.package,
        version: record.version,
        destination: destination.name,
      })),
      unknown: shipments.flatMap(({ trouble, release: { record }, destination }) =>
        trouble === null
          ? []
          : [`whether ${record.package} ${record.version} arrived at ${destination.name} is not known: ${trouble.why}`],
      ),
    };
  } catch (error) {
    if (!isBevelstoneError(error)) throw error;
    return { arrived, unknown: [`whether anything was delivered is not known: ${error.message}`] };
  } finally {
    await closeConnections();
  }
}

/** Commands that withdraw what is delivered. */
function wayBack(arrived: readonly Arrived[]): string[] {
  const commands = arrived.map(
    ({ name, version, destination }) =>
      `to take it back: bevelstone withdraw ${shellWord(`${name}@${version}`)} --from ${shellWord(destination)} --reason REASON`,
  );
  return [...new Set(commands)];
}

/** It is not known whether its tags were taken, so they stay there if they were. */
async function giveUpUnasked(repository: Repository, run: Run): Promise<string[]> {
  const removed = await removeOwnTags(repository, run);
  run.journal.append({ step: 'closed', phase: 'done', data: { abandoned: true } });
  await markClosed(run.folder);
  return [
    `${run.opened.remote} could not be asked: what it has of this run stays there, and the ledger does not say that it was abandoned`,
    ...(removed.length === 0 ? [] : [`deleted here: the tags ${removed.join(', ')}`]),
  ];
}

/** The run's tags that the remote has; null when it cannot be asked. */
async function pushedTags(
  { place }: Repository,
  { journal, opened }: Run,
): Promise<{ name: string; id: string }[] | null> {
  const made = journal.records.flatMap((record) =>
    record.step === 'tagged' && record.phase === 'done' ? [record.data as { name: string; id: string }] : [],
  );
  if (made.length === 0 || opened.remote === null || lastRecord(journal.records, 'push') === null) return [];
  const asked = made.map(({ name }) => `refs/tags/${name}`);
  const refs = await readRemoteRefs(place, opened.remote, asked).catch((error: unknown) => {
    if (isBevelstoneError(error, 'REMOTE_REFUSED')) return null;
    throw error;
  });
  if (refs === null) return null;
  return made.filter(({ name, id }) => refs.get(`refs/tags/${name}`) === id);
}

/** @returns whether the remote has it as well. */
async function recordAbandoned(
  context: Context,
  { repository, run, remote }: { readonly repository: Repository; readonly run: Run; readonly remote: string },
): Promise<boolean> {
  const writer = new LedgerWriter(context, repository, run.id);
  for (const { record } of await readFolders(`${run.folder}/out`))
    writer.add({ type: 'abandoned', package: record.package, version: record.version });
  await uniteWithRemote(repository, remote);
  await writer.flush(`Abandon run ${run.id}`);
  try {
    await pushLedger(repository, remote, []);
    return true;
  } catch (error) {
    if (isBevelstoneError(error, 'REMOTE_REFUSED', 'LEDGER_CONTENDED')) return false;
    throw error;
  }
}
