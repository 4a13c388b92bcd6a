import { createHash } from 'node:crypto';

/** The steps of a run in their order (docs/design/release-run.md, "Journal"). */
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

/** A journal as it was read. */
export type ParsedJournal = {
  readonly records: readonly RunRecord[];
  /** The lines of these records, without line ends. */
  readonly lines: readonly string[];
  /** Line number of the first line that is not a record or does not follow the one before; null for a whole journal. */
  readonly damagedLine: number | null;
  /** Whether whole records follow behind the damage: then somebody changed the file, since a disk only damages its end. */
  readonly isTampered: boolean;
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
 * Reads a journal up to its last complete record. A last line without a line end was cut while it was written and is dropped:
 * it announced nothing that has happened. Any other damage is reported, since records may be missing behind it.
 */
export function parseJournal(text: string): ParsedJournal {
  const lines = text
    .slice(0, text.lastIndexOf('\n') + 1)
    .split('\n')
    .slice(0, -1);
  const records: RunRecord[] = [];
  let last = '';
  for (const [index, line] of lines.entries()) {
    const record = parseLine(line);
    if (record === null || record.prev !== last || record.seq !== index) {
      const isTampered = record !== null || lines.slice(index + 1).some((later) => parseLine(later) !== null);
      return { records, lines: lines.slice(0, index), damagedLine: index + 1, isTampered };
    }
    records.push(record);
    last = lineDigest(line);
  }
  return { records, lines, damagedLine: null, isTampered: false };
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

const phases: ReadonlySet<unknown> = new Set(['intent', 'done', 'failed']);
const steps: ReadonlySet<unknown> = new Set(runSteps);

function parseLine(line: string): RunRecord | null {
  try {
    const value = JSON.parse(line) as Partial<RunRecord> | null;
    if (value === null || typeof value !== 'object') return null;
    const { seq, at, step, key, phase, input, prev } = value;
    const hasTexts = [at, key, input, prev].every((text) => typeof text === 'string');
    const isRecord = typeof seq === 'number' && hasTexts && steps.has(step) && phases.has(phase) && 'data' in value;
    return isRecord ? (value as RunRecord) : null;
  } catch {
    return null;
  }
}
