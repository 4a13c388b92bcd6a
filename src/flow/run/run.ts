import { randomBytes } from 'node:crypto';
import { readdir, rm } from 'node:fs/promises';
import path from 'node:path';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { lastRecord, type ParsedJournal, type RunRecord } from '../../core/record/run-record.ts';
import { isMissing } from '../../world/files.ts';
import type { Repository } from '../../world/git/repository.ts';
import { isMarkedClosed, Journal, readJournal } from '../../world/journal.ts';
import type { Context } from '../context.ts';

/** What a run begins with. The time is that of everything it makes, so that making it again gives the same. */
export type Opened = {
  readonly run: string;
  /** The surveyed commit. */
  readonly source: string;
  readonly branch: string | null;
  readonly remote: string | null;
  /** What the remote's branch was at; null where it has none. */
  readonly remoteHead: string | null;
  /** Seconds since 1970. */
  readonly time: number;
  /** 128 random bits in hexadecimal, which name the run in its tags. */
  readonly mark: string;
  /** What was asked of the run, in words that make it again. */
  readonly asked: RunAsked;
  readonly configDigest: string | null;
  /** Whether another machine began it, and this one laid it out from what was pushed. */
  readonly isFromRemote: boolean;
  readonly program: { readonly bevelstone: string; readonly node: string; readonly zlib: string };
};

/** Options that decide what is released. */
export type RunAsked = {
  readonly packages: readonly string[];
  readonly as: string | null;
  readonly raise: string | null;
  readonly because: string | null;
  readonly branch: string | null;
  readonly stream: string | null;
  readonly tagged: string | null;
  readonly withNeeded: boolean;
  readonly without: readonly string[];
};

/** A run at work. */
export type Run = {
  readonly id: string;
  /** Absolute path: journal and artifacts. */
  readonly folder: string;
  readonly journal: Journal;
  readonly opened: Opened;
};

/** A run as its journal tells it from outside. */
export type KnownRun = {
  readonly id: string;
  readonly folder: string;
  readonly records: readonly RunRecord[];
};

/** Folder of all runs; it survives whatever happens to the working folder. */
export function runsFolder({ commonFolder }: Repository): string {
  return path.join(commonFolder, 'bevelstone', 'runs');
}

/** Folder of the lock that a run holds. */
export function lockFolder({ commonFolder }: Repository): string {
  return path.join(commonFolder, 'bevelstone', 'lock');
}

/** Names a run: when it began, and enough to tell two of the same second apart. */
export function newRunId(now: Date): string {
  return `${now.toISOString().slice(0, 19).replace(/[-:]/g, '').replace('T', '-')}-${randomBytes(4).toString('hex')}`;
}

/** Begins a run. */
export async function beginRun(context: Context, repository: Repository, opened: Opened): Promise<Run> {
  const folder = path.join(runsFolder(repository), opened.run);
  const journal = await Journal.create(folder, context);
  journal.append({ step: 'opened', phase: 'done', data: opened });
  return { id: opened.run, folder, journal, opened };
}

/**
 * Continues a run that was cut short.
 * @param anyDamage whether a journal that somebody changed is taken as far as it goes: for a run that is given up.
 * @throws JOURNAL_DAMAGED
 */
export async function continueRun(
  context: Context,
  { id, folder }: Pick<KnownRun, 'id' | 'folder'>,
  anyDamage = false,
): Promise<Run> {
  const journal = await Journal.open(folder, context, anyDamage);
  const opened = journal.done<Opened>('opened');
  if (opened === null) {
    journal.close();
    throw unreadableRun(id, folder);
  }
  return { id, folder, journal, opened };
}

/**
 * Runs that were begun and neither finished nor abandoned, oldest first.
 * @param sweep whether folders without a record are removed, and what finished runs built; whoever holds the lock may.
 */
export async function openRuns(repository: Repository, sweep = false): Promise<KnownRun[]> {
  const top = runsFolder(repository);
  const found: KnownRun[] = [];
  for (const id of await namesIn(top)) {
    const folder = path.join(top, id);
    if (await isMarkedClosed(folder)) {
      if (sweep) await rm(path.join(folder, 'out'), { recursive: true, force: true });
      continue;
    }
    const parsed = await journalIn(folder);
    // Killed before it wrote its first record: nothing was done.
    if (parsed === null || (parsed.records.length === 0 && parsed.damagedLine === null)) {
      if (sweep) await rm(folder, { recursive: true, force: true });
    } else if (lastRecord(parsed.records, 'closed') === null) found.push({ id, folder, records: parsed.records });
    else if (sweep) await rm(path.join(folder, 'out'), { recursive: true, force: true });
  }
  return found;
}

/**
 * The run that is meant: the one named, else the only open one.
 * @returns null when there is none here, so that the remote has to be asked.
 * @throws RUN_NOT_FOUND when the one named is not here, or several are open.
 */
export function chooseRun(runs: readonly KnownRun[], named: string | null): KnownRun | null {
  if (named === null && runs.length < 2) return runs[0] ?? null;
  const found = runs.find(({ id }) => id === named);
  if (found !== undefined) return found;
  if (named !== null && runs.length === 0) return null;
  throw new BevelstoneError('RUN_NOT_FOUND', {
    message: named === null ? `${runs.length} releases were cut short` : `There is no open run ${named}`,
    why: `open here: ${runs.map(({ id }) => id).join(', ')}`,
    fix: 'Name one of them: bevelstone release --resume RUN',
  });
}

/** The error for a run that is not there. */
export function noRun(): BevelstoneError {
  return new BevelstoneError('RUN_NOT_FOUND', {
    message: 'There is no release to go on with',
    why: 'every run here is finished or abandoned',
    fix: 'Run: bevelstone release',
  });
}

/** @throws RUN_OPEN when an earlier run waits to be finished. */
export function refuseOpen(runs: readonly KnownRun[]): void {
  const [first] = runs;
  if (first === undefined) return;
  throw new BevelstoneError('RUN_OPEN', {
    message: `The release ${first.id} was cut short`,
    why: 'it is neither finished nor abandoned, and a second one could take its versions away',
    fix: 'Run: bevelstone release --resume, or: bevelstone release --abandon',
    resume: first.id,
  });
}

/** Whether a run of another machine was cut short while it was laid out here: nothing of it counts. */
export function isHalfLaidOut(run: KnownRun): boolean {
  const opened = lastRecord(run.records, 'opened')?.data as Opened | undefined;
  return opened?.isFromRemote === true && !isPublic(run);
}

/** Whether anything of a run may be public: its push was announced. */
export function isPublic({ records }: Pick<KnownRun, 'records'>): boolean {
  return lastRecord(records, 'push') !== null;
}

/** Whether nothing of a run's journal can be read, so that not even its commit is known. */
export function isUnreadable({ records }: Pick<KnownRun, 'records'>): boolean {
  return lastRecord(records, 'opened') === null;
}

/** The error for a run of which this machine knows no more than its name. */
export function unreadableRun(id: string, folder: string): BevelstoneError {
  return new BevelstoneError('JOURNAL_DAMAGED', {
    message: `The journal of the run ${id} cannot be read`,
    why: 'its first record is damaged, and the remote has no unfinished release of this run',
    fix: `Run: bevelstone release --abandon ${id}`,
    where: { file: folder },
    resume: id,
  });
}

async function journalIn(folder: string): Promise<ParsedJournal | null> {
  try {
    return await readJournal(folder);
  } catch (error) {
    if (isMissing(error)) return null;
    throw error;
  }
}

async function namesIn(folder: string): Promise<string[]> {
  try {
    return (await readdir(folder, { withFileTypes: true }))
      .filter((one) => one.isDirectory())
      .map(({ name }) => name)
      .sort();
  } catch (error) {
    if (isMissing(error)) return [];
    throw error;
  }
}
