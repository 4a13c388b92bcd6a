import { createHash } from 'node:crypto';
import { BevelstoneError } from '../error/bevelstone-error.ts';

/** The steps of a run in their order (design page release-run, "Journal"). */
export const runSteps = [
  'opened',
  'gated',
  'surveyed',
  'committed',
  'built',
  'verified',
  'billed',
  'rehearsed',
  'agreed',
  'tagged',
  'planned',
  'push',
  'sent',
  'confirmed',
  'pointed',
  'ledgered',
  'settled',
  'afterwards',
  'closed',
] as const;

/** One of the steps. */
export type RunStep = (typeof runSteps)[number];

/** What a record tells of its step: that it will have an effect, that it is done, that it did not work. */
export type RunPhase = 'intent' | 'done' | 'failed';

/** One line of a journal. */
export type RunRecord = {
  readonly seq: number;
  /** ISO 8601, UTC. */
  readonly at: string;
  readonly step: RunStep;
  /** What of the step it is about: an artifact, a tag, a delivery; '' for all of it. */
  readonly key: string;
  readonly phase: RunPhase;
  /** SHA-256 of what the step worked on, in hexadecimal; '' where that says nothing. */
  readonly input: string;
  readonly data: unknown;
  /** SHA-256 of the line before; '' for the first. */
  readonly prev: string;
};

/** What goes into a record; the journal adds the rest. */
export type NewRecord = Pick<RunRecord, 'step' | 'phase'> & Partial<Pick<RunRecord, 'key' | 'input' | 'data'>>;

/** A journal as it was read: its records, and the length of the text that they fill. */
export type ParsedJournal = {
  readonly records: readonly RunRecord[];
  /** SHA-256 of the last line, for the next one. */
  readonly last: string;
  /** Bytes up to the end of the last whole line; what follows was torn. */
  readonly wholeBytes: number;
};

/** The line of a record, without its line end. */
export function formatRecord(record: RunRecord): string {
  return JSON.stringify(record);
}

/** The digest that chains a line to the next. */
export function lineDigest(line: string): string {
  return createHash('sha256').update(line).digest('hex');
}

/**
 * Reads a journal. A last line that was torn off is dropped: it announced nothing that has happened.
 * @param file names it in an error.
 * @throws JOURNAL_DAMAGED when a line is broken elsewhere, or does not follow the one before.
 */
export function parseJournal(text: string, file: string): ParsedJournal {
  const end = text.lastIndexOf('\n') + 1;
  const lines = text.slice(0, end).split('\n').slice(0, -1);
  const records: RunRecord[] = [];
  let last = '';
  for (const [index, line] of lines.entries()) {
    const record = parseLine(line);
    if (record === null || record.prev !== last || record.seq !== index) throw damaged(file, index + 1);
    records.push(record);
    last = lineDigest(line);
  }
  return { records, last, wholeBytes: Buffer.byteLength(text.slice(0, end)) };
}

/** The last record of a step, of one key and phase where they are named. */
export function lastRecord(
  records: readonly RunRecord[],
  step: RunStep,
  { key, phase }: Partial<Pick<RunRecord, 'key' | 'phase'>> = {},
): RunRecord | null {
  const fits = (one: RunRecord) =>
    one.step === step && (key === undefined || one.key === key) && (phase === undefined || one.phase === phase);
  return records.findLast(fits) ?? null;
}

function parseLine(line: string): RunRecord | null {
  try {
    const value = JSON.parse(line) as Partial<RunRecord>;
    return typeof value.seq === 'number' && typeof value.step === 'string' ? (value as RunRecord) : null;
  } catch {
    return null;
  }
}

function damaged(file: string, line: number): BevelstoneError {
  return new BevelstoneError('JOURNAL_DAMAGED', {
    message: `Line ${line} of a run's journal does not follow the one before`,
    why: 'something else than Bevelstone changed it, so nobody can tell what has been done',
    fix: 'If the run had pushed its tags, go on from what the remote knows, in a fresh clone: bevelstone release --resume. Otherwise: bevelstone release --abandon',
    where: { file, line },
  });
}
