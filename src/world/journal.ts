import { closeSync, fdatasyncSync, fsyncSync, ftruncateSync, openSync, renameSync, writeSync } from 'node:fs';
import { mkdir, readFile, rm } from 'node:fs/promises';
import path from 'node:path';
import { BevelstoneError, isBevelstoneError } from '../core/error/bevelstone-error.ts';
import { type JournalDamage, type ParsedJournal, parseJournal } from '../core/record/parse-journal.ts';
import {
  formatRecord,
  lastRecord,
  lineDigest,
  type NewRecord,
  type RunRecord,
  type RunStep,
} from '../core/record/run-record.ts';
import { redactValue } from '../core/text/redact.ts';
import { exists, flushFolder, writeWhole } from './files.ts';
import { systemFault } from './system-fault.ts';

const fileName = 'journal.jsonl';
/** Says that a run is over, so that its journal need not be read again. */
const closedName = 'closed';
/** Says that records were lost and have not been replaced yet. */
const damagedName = 'damaged';

/** What a journal needs of the outside. */
export type JournalSettings = { readonly now: () => Date; readonly secrets: ReadonlySet<string> };

/**
 * The journal of one run, below a folder that cleaning the working folder can't reach. Every record is one line, written at
 * once and on the disk before anything that it announces happens.
 */
export class Journal {
  readonly folder: string;
  /** Whether records may be missing at its end: then git and the destinations are asked (docs/design/release-run.md). */
  readonly isDamaged: boolean;
  readonly #settings: JournalSettings;
  readonly #records: RunRecord[];
  readonly #lines: string[];
  #file: number;
  /** The failure that ended it; nothing is written behind a record that may be broken. */
  #failure: unknown = null;

  private constructor(
    folder: string,
    settings: JournalSettings,
    { records, lines, isDamaged }: Pick<ParsedJournal, 'records' | 'lines'> & { readonly isDamaged: boolean },
  ) {
    [this.folder, this.#settings, this.isDamaged] = [folder, settings, isDamaged];
    [this.#records, this.#lines] = [[...records], [...lines]];
    this.#file = openSync(path.join(folder, fileName), 'a');
  }

  /** Begins a journal in a new folder. @throws when the folder has one. */
  static async create(folder: string, settings: JournalSettings): Promise<Journal> {
    try {
      await mkdir(folder, { recursive: true });
      closeSync(openSync(path.join(folder, fileName), 'ax'));
      await flushFolder(folder);
      return new Journal(folder, settings, { records: [], lines: [], isDamaged: false });
    } catch (error) {
      throw unopened(error, folder);
    }
  }

  /**
   * Continues a journal behind its last complete record.
   * @param anyDamage whether a changed one is opened too: for a run that is abandoned.
   * @throws JOURNAL_DAMAGED, JOURNAL_UNOPENED
   */
  static async open(folder: string, settings: JournalSettings, anyDamage = false): Promise<Journal> {
    try {
      const parsed = await readJournal(folder);
      const { damage } = parsed;
      if (damage?.type === 'newer' || (damage?.type === 'changed' && !anyDamage)) throw unusable(folder, damage);
      if (damage !== null) await writeWhole(path.join(folder, damagedName), 'damaged\n');
      const journal = new Journal(folder, settings, {
        ...parsed,
        isDamaged: await exists(path.join(folder, damagedName)),
      });
      const wholeBytes = parsed.lines.reduce((sum, line) => sum + Buffer.byteLength(line) + 1, 0);
      ftruncateSync(journal.#file, wholeBytes);
      return journal;
    } catch (error) {
      throw unopened(error, folder);
    }
  }

  get records(): readonly RunRecord[] {
    return this.#records;
  }

  /**
   * Writes a record down for good. Where the file cannot be written any more, all records go into a new one.
   * @throws CUT_SHORT before anything was done, when neither works: the run can then be resumed from the record before.
   */
  append({ step, phase, key = '', input = '', data = null }: NewRecord): RunRecord {
    if (this.#failure !== null) throw cutShort(this.folder, this.#failure);
    const at = this.#settings.now().toISOString();
    const prev = this.#lines.length === 0 ? '' : lineDigest(this.#lines.at(-1) ?? '');
    const safe = redactValue(data, this.#settings.secrets);
    const line = formatRecord({ seq: this.#records.length, at, step, key, phase, input, data: safe ?? null, prev });
    try {
      this.#write(`${line}\n`);
    } catch (first) {
      try {
        this.#startOver(line);
      } catch {
        this.#failure = first;
        throw cutShort(this.folder, first);
      }
    }
    this.#lines.push(line);
    const kept = JSON.parse(line) as RunRecord;
    this.#records.push(kept);
    return kept;
  }

  #write(text: string): void {
    writeAll(this.#file, text);
    fdatasyncSync(this.#file);
  }

  /** After a failed flush it is not known what of the file is on the disk, so all of it is written again under a new name. */
  #startOver(line: string): void {
    const fresh = path.join(this.folder, `${fileName}.new`);
    const file = openSync(fresh, 'w');
    try {
      writeAll(file, [...this.#lines, line].map((text) => `${text}\n`).join(''));
      fsyncSync(file);
    } finally {
      closeSync(file);
    }
    renameSync(fresh, path.join(this.folder, fileName));
    const next = openSync(path.join(this.folder, fileName), 'a');
    closeSync(this.#file);
    this.#file = next;
    const folder = openSync(this.folder, 'r');
    try {
      fsyncSync(folder);
    } finally {
      closeSync(folder);
    }
  }

  /** The data of the last record that says a step is done; null when none does. */
  done<Data>(step: RunStep, key = ''): Data | null {
    return (lastRecord(this.#records, step, { key, phase: 'done' })?.data ?? null) as Data | null;
  }

  /** Whether a step, or one key of it, is done. */
  isDone(step: RunStep, key?: string): boolean {
    return lastRecord(this.#records, step, { phase: 'done', ...(key === undefined ? {} : { key }) }) !== null;
  }

  /** Whether a step was announced. */
  isMeant(step: RunStep, key?: string): boolean {
    return lastRecord(this.#records, step, { phase: 'intent', ...(key === undefined ? {} : { key }) }) !== null;
  }

  /** Notes that what was lost at its end was found out again. */
  async markRepaired(): Promise<void> {
    await rm(path.join(this.folder, damagedName), { force: true });
  }

  close(): void {
    closeSync(this.#file);
  }
}

/** Reads the journal of a run's folder up to its last complete record. */
export async function readJournal(folder: string): Promise<ParsedJournal> {
  return parseJournal(await readFile(path.join(folder, fileName), 'utf8'));
}

/** Marks a run's folder as over. That the mark cannot be written changes nothing: the journal says the same. */
export async function markClosed(folder: string): Promise<void> {
  await writeWhole(path.join(folder, closedName), 'closed\n').catch(() => {});
}

/** Whether a run's folder is marked as over. */
export function isMarkedClosed(folder: string): Promise<boolean> {
  return exists(path.join(folder, closedName));
}

function writeAll(file: number, text: string): void {
  const bytes = Buffer.from(text);
  for (let at = 0; at < bytes.length; ) {
    const written = writeSync(file, bytes, at);
    if (written === 0) throw Object.assign(new Error('nothing could be written'), { code: 'ENOSPC' });
    at += written;
  }
}

function cutShort(folder: string, cause: unknown): BevelstoneError {
  const { code, message } = cause as NodeJS.ErrnoException;
  const isFull = code === 'ENOSPC' || code === 'EDQUOT' || code === 'EFBIG';
  return new BevelstoneError('CUT_SHORT', {
    message: 'cannot write the journal of this run',
    why: isFull ? 'the disk is full; nothing was done that is not in the journal' : message,
    fix: `${isFull ? 'Make room' : 'Check the disk'}, then run: bevelstone release --resume ${path.basename(folder)}`,
    resume: path.basename(folder),
    where: { file: folder },
    cause,
  });
}

/** The error for a journal that is not continued. */
export function unusable(folder: string, { line, why, type }: JournalDamage): BevelstoneError {
  const run = path.basename(folder);
  const givenUp = `bevelstone release --abandon ${run}`;
  return new BevelstoneError('JOURNAL_DAMAGED', {
    message: `line ${line} of the journal of ${run} is not valid`,
    why: type === 'newer' ? why : `${why}, so another program changed the file`,
    fix:
      type === 'newer'
        ? `Finish the run, or give it up, with that version: bevelstone release --resume ${run}, or: ${givenUp}`
        : `If the run had pushed its tags, finish it in a fresh clone: bevelstone release --resume ${run}. Otherwise run: ${givenUp}`,
    where: { file: path.join(folder, fileName), line },
    resume: run,
  });
}

function unopened(error: unknown, folder: string): unknown {
  const { code, message } = error as NodeJS.ErrnoException;
  // A second run of the same name is our own mistake.
  if (error instanceof BevelstoneError || code === undefined || code === 'EEXIST') return error;
  const fault = systemFault(error);
  if (code === 'ENOENT' || isBevelstoneError(fault, 'DISK_FULL', 'DISK_FAULT')) return fault ?? error;
  return new BevelstoneError('JOURNAL_UNOPENED', {
    message: `cannot open the journal in ${folder}`,
    why: message,
    fix: 'Make the git folder readable and writable for this user, with free space, then run the same command again',
    where: { file: folder },
    cause: error,
  });
}
