import { randomBytes } from 'node:crypto';
import path from 'node:path';
import { type KnownRun, stateOfRun, unreadableRun } from '../../core/plan/choose-run.ts';
import type { ParsedJournal } from '../../core/record/parse-journal.ts';
import type { Opened } from '../../core/record/run-data.ts';
import { isMissing, listFolder, removeFolder } from '../../world/files.ts';
import type { Repository } from '../../world/git/repository.ts';
import { isMarkedClosed, Journal, readJournal, unusable } from '../../world/journal.ts';
import type { Context } from '../context.ts';

/** A run at work. */
export type Run = {
  readonly id: string;
  /** Absolute path: journal and artifacts. */
  readonly folder: string;
  readonly journal: Journal;
  readonly opened: Opened;
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
 * @param anyDamage whether a journal that was changed is read as far as possible: for a run that is abandoned.
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

/** @throws JOURNAL_DAMAGED when a newer version of this program wrote the journal. */
export function refuseNewer({ folder, damage }: KnownRun): void {
  if (damage?.type === 'newer') throw unusable(folder, damage);
}

/**
 * Runs that were begun and neither finished nor abandoned, oldest first.
 * @param sweep whether folders without a record are removed, and what finished runs built; only with the lock held.
 */
export async function openRuns(repository: Repository, sweep = false): Promise<KnownRun[]> {
  const top = runsFolder(repository);
  const found: KnownRun[] = [];
  for (const id of await runFolders(top)) {
    const folder = path.join(top, id);
    if (await isMarkedClosed(folder)) {
      if (sweep) await removeFolder(path.join(folder, 'out'));
      continue;
    }
    const parsed = await journalIn(folder);
    const state = stateOfRun(parsed);
    if (state === 'open') found.push({ id, folder, records: parsed?.records ?? [], damage: parsed?.damage ?? null });
    else if (sweep) await removeFolder(state === 'over' ? path.join(folder, 'out') : folder);
  }
  return found;
}

async function journalIn(folder: string): Promise<ParsedJournal | null> {
  try {
    return await readJournal(folder);
  } catch (error) {
    if (isMissing(error)) return null;
    throw error;
  }
}

async function runFolders(top: string): Promise<string[]> {
  try {
    return (await listFolder(top)).flatMap(({ name, isFolder }) => (isFolder ? [name] : [])).sort();
  } catch (error) {
    if (isMissing(error)) return [];
    throw error;
  }
}
