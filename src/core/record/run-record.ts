import { createHash } from 'node:crypto';

/** The steps of a run in their order (docs/design/release-run.md, "Journal"). */
export const runSteps = [
  'opened',
  'gated',
  'surveyed',
  'committed',
  'built',
  'verified',
  'sbom',
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
export const runPhases = ['intent', 'done', 'failed'] as const;

/** One of the phases. */
export type RunPhase = (typeof runPhases)[number];

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

/** The line of a record, without its line end. */
export function formatRecord(record: RunRecord): string {
  return JSON.stringify(record);
}

/** The digest that chains a line to the next. */
export function lineDigest(line: string): string {
  return createHash('sha256').update(line).digest('hex');
}

/** The last record of a step, of one key and phase where they are named. */
export function lastRecord(
  records: readonly RunRecord[],
  step: RunStep,
  { key, phase }: Partial<Pick<RunRecord, 'key' | 'phase'>> = {},
): RunRecord | null {
  const fits = (run: RunRecord) =>
    run.step === step && (key === undefined || run.key === key) && (phase === undefined || run.phase === phase);
  return records.findLast(fits) ?? null;
}
