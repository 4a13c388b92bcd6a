import { closeSync, fdatasyncSync, ftruncateSync, openSync, writeSync } from 'node:fs';
import { mkdir, readFile } from 'node:fs/promises';
import path from 'node:path';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import {
  formatRecord,
  lastRecord,
  lineDigest,
  type NewRecord,
  parseJournal,
  type RunRecord,
  type RunStep,
} from '../core/run/journal.ts';
import { redact } from '../core/text/redact.ts';
import { flushFolder } from './files.ts';

const fileName = 'journal.jsonl';

/** What a journal needs of the outside. */
export type JournalSettings = { readonly now: () => Date; readonly secrets: ReadonlySet<string> };

/**
 * The journal of one run, below a folder that cleaning the working folder can't reach. Every record is one line, written at
 * once and on the disk before anything that it announces happens.
 */
export class Journal {
  readonly folder: string;
  readonly #settings: JournalSettings;
  readonly #records: RunRecord[];
  readonly #file: number;
  #last: string;

  private constructor(folder: string, file: number, settings: JournalSettings, records: RunRecord[], last: string) {
    [this.folder, this.#file, this.#settings, this.#records, this.#last] = [folder, file, settings, records, last];
  }

  /** Begins a journal in a new folder. @throws when the folder has one. */
  static async create(folder: string, settings: JournalSettings): Promise<Journal> {
    await mkdir(folder, { recursive: true });
    const file = openSync(path.join(folder, fileName), 'ax');
    await flushFolder(folder);
    return new Journal(folder, file, settings, [], '');
  }

  /** Goes on with a journal. @throws JOURNAL_DAMAGED */
  static async open(folder: string, settings: JournalSettings): Promise<Journal> {
    const { records, last, wholeBytes } = await readJournal(folder);
    const file = openSync(path.join(folder, fileName), 'a');
    ftruncateSync(file, wholeBytes);
    return new Journal(folder, file, settings, [...records], last);
  }

  get records(): readonly RunRecord[] {
    return this.#records;
  }

  /** Writes a record down for good. @throws CUT_SHORT when there is no room, before anything was done. */
  append({ step, phase, key = '', input = '', data = null }: NewRecord): RunRecord {
    const at = this.#settings.now().toISOString();
    const record = { seq: this.#records.length, at, step, key, phase, input, data, prev: this.#last } as const;
    const line = redact(formatRecord(record), this.#settings.secrets);
    try {
      const bytes = Buffer.from(`${line}\n`);
      if (writeSync(this.#file, bytes) < bytes.length) throw Object.assign(new Error('cut'), { code: 'ENOSPC' });
      fdatasyncSync(this.#file);
    } catch (cause) {
      throw noRoom(this.folder, cause);
    }
    this.#last = lineDigest(line);
    const kept = JSON.parse(line) as RunRecord;
    this.#records.push(kept);
    return kept;
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

  close(): void {
    closeSync(this.#file);
  }
}

/** Reads the journal of a run's folder. @throws JOURNAL_DAMAGED */
export async function readJournal(folder: string): Promise<ReturnType<typeof parseJournal>> {
  const file = path.join(folder, fileName);
  return parseJournal(await readFile(file, 'utf8'), file);
}

function noRoom(folder: string, cause: unknown): BevelstoneError {
  const { code, message } = cause as NodeJS.ErrnoException;
  return new BevelstoneError('CUT_SHORT', {
    message: "The run's journal could not be written",
    why: code === 'ENOSPC' ? 'the disk is full; nothing was done that is not written down' : message,
    fix: 'Make room, then run: bevelstone release --resume',
    resume: path.basename(folder),
    where: { file: folder },
    cause,
  });
}
