import path from 'node:path';
import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { isPublic } from '../../core/plan/choose-run.ts';
import { currentBranch, resolveCommit, uncommittedPaths } from '../../world/git/repository.ts';
import type { Context } from '../context.ts';
import { localReleases } from '../ledger-record/ledger.ts';
import { readableFolders } from '../release-folder/built-release.ts';
import { openRuns } from '../run/run.ts';
import { plainSurvey, surveyWorkspace } from '../survey/survey.ts';
import { isTaken, lastInLedger, refuseUnfinished } from '../survey/survey-open-run.ts';
import { openContext } from '../workspace/workspace.ts';

/** Where things stand. */
export type Status = {
  readonly commit: string;
  readonly branch: string | null;
  /** A release that was cut short; null when there is none. */
  readonly run: { readonly id: string; readonly isPublic: boolean } | null;
  /** The last release on record of each package in each stream, and where it was taken back. */
  readonly last: readonly (Pick<LedgerRelease, 'package' | 'version' | 'date' | 'commit'> & {
    readonly stream: string;
    readonly withdrawn: readonly string[];
  })[];
  /** What is built for this commit. */
  readonly built: readonly { readonly package: string; readonly version: string; readonly folder: string }[];
  /** What would be released from here. */
  readonly waiting: readonly { readonly package: string; readonly version: string }[];
  /** The next sensible command. */
  readonly next: string;
};

/** Where things stand, from this clone; the remote is asked only for a ledger that is not here yet. */
export async function readStatus(context: Context): Promise<Status> {
  try {
    return await surveyedStatus(context);
  } catch (error) {
    // Tags of an unfinished release can make a survey impossible; it is what the person has to know of first.
    const status = isBevelstoneError(error) ? await statusOfRun(context) : null;
    if (status !== null) return status;
    if (isTaken(error)) await refuseUnfinished(context, plainSurvey);
    throw error;
  }
}

async function statusOfRun(context: Context): Promise<Status | null> {
  const repository = await openContext(context);
  const [run] = await openRuns(repository);
  if (run === undefined) return null;
  return {
    commit: await resolveCommit(repository.place, 'HEAD'),
    branch: await currentBranch(repository.place),
    run: { id: run.id, isPublic: isPublic(run) },
    last: lastOnRecord(await localReleases(context, repository)),
    built: [],
    waiting: [],
    next: 'bevelstone release --resume',
  };
}

function lastOnRecord(releases: readonly LedgerRelease[]): Status['last'] {
  const seen = new Set<string>();
  const last = releases.filter(({ package: name, about }) => {
    const key = `${name}\n${about.stream.name}`;
    return !seen.has(key) && seen.add(key) !== null;
  });
  return last.map(({ package: name, version, date, commit, about, withdrawals }) => ({
    package: name,
    version,
    date,
    commit,
    stream: about.stream.name,
    withdrawn: [...new Set(withdrawals.map(({ destination }) => destination))],
  }));
}

async function surveyedStatus(context: Context): Promise<Status> {
  const survey = await surveyWorkspace({ ...context, report: () => {} }, plainSurvey);
  const { repository, config } = survey.workspace;
  const [own] = await openRuns(repository);
  const elsewhere = own === undefined ? (await lastInLedger(context, survey)).unfinished : null;
  const run =
    own === undefined
      ? elsewhere === null
        ? null
        : { id: elsewhere.run, isPublic: true }
      : { id: own.id, isPublic: isPublic(own) };
  const commit = await resolveCommit(repository.place, 'HEAD');
  const folders = await readableFolders(context, path.join(repository.root, config.output));
  const built = folders.filter(({ record }) => record.commit === commit);
  const waiting = survey.packages.flatMap(({ name, next }) =>
    next === null ? [] : [{ package: name, version: next }],
  );
  const isDirty = (await uncommittedPaths(repository.place)).length > 0;
  return {
    commit,
    branch: survey.branch,
    run,
    last: lastOnRecord(await localReleases(context, repository)),
    built: built.map(({ folder, record }) => ({ package: record.package, version: record.version, folder })),
    waiting,
    next: nextCommand({
      isOpen: run !== null,
      isConfigured: survey.workspace.configText !== null,
      isDirty,
      isPreview: survey.stream.type === 'preview',
      count: waiting.length,
    }),
  };
}

type Standing = {
  readonly isOpen: boolean;
  readonly isConfigured: boolean;
  readonly isDirty: boolean;
  readonly isPreview: boolean;
  readonly count: number;
};

function nextCommand({ isOpen, isConfigured, isDirty, isPreview, count }: Standing): string {
  if (isOpen) return 'bevelstone release --resume';
  if (!isConfigured) return 'bevelstone init';
  if (count === 0) return 'bevelstone ledger list';
  if (isDirty) return 'git status';
  return isPreview ? 'bevelstone build' : 'bevelstone release --dry-run';
}
