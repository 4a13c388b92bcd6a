import { BevelstoneError } from '../error/bevelstone-error.ts';
import type { JournalDamage, ParsedJournal } from '../record/parse-journal.ts';
import type { Opened } from '../record/run-data.ts';
import { lastRecord, type RunRecord } from '../record/run-record.ts';

/** A run as its journal tells it from outside. */
export type KnownRun = {
  readonly id: string;
  readonly folder: string;
  readonly records: readonly RunRecord[];
  /** What is wrong with its journal. */
  readonly damage: JournalDamage | null;
};

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
    why: `unfinished releases: ${runs.map(({ id }) => id).join(', ')}`,
    fix: 'Name one of them: bevelstone release --resume RUN',
  });
}

/** The error for a run that is not there. */
export function noRun(): BevelstoneError {
  return new BevelstoneError('RUN_NOT_FOUND', {
    message: 'no unfinished release',
    why: 'every run in this clone is finished or abandoned',
    fix: 'Run: bevelstone release',
  });
}

/** @throws RUN_OPEN when an earlier run waits to be finished. */
export function refuseOpen(runs: readonly KnownRun[]): void {
  const [first] = runs;
  if (first !== undefined)
    throw openRun(first.id, 'Run: bevelstone release --resume, or: bevelstone release --abandon');
}

/** The error for a run that another clone began and did not finish. */
export function openElsewhere(run: string): BevelstoneError {
  return openRun(run, 'Run: bevelstone release --resume, here or where it began');
}

function openRun(run: string, fix: string): BevelstoneError {
  return new BevelstoneError('RUN_OPEN', {
    message: `unfinished release ${run}`,
    why: 'it is not finished, and a second release could take its versions',
    fix,
    resume: run,
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
    message: `the journal of the run ${id} cannot be read`,
    why: 'its first record is damaged, and the remote has no unfinished release of this run',
    fix: `Run: bevelstone release --abandon ${id}`,
    where: { file: folder },
    resume: id,
  });
}

/** What is to be done with a run's folder: it waits to be finished, it is over, or nothing of it was ever done. */
export function stateOfRun(journal: ParsedJournal | null): 'open' | 'over' | 'nothing' {
  // Killed before it wrote its first record.
  if (journal === null || (journal.records.length === 0 && journal.damage === null)) return 'nothing';
  return lastRecord(journal.records, 'closed') === null ? 'open' : 'over';
}
