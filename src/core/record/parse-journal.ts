import { jsonOrNull } from '../text/json.ts';
import { newerFormat } from './parse-record.ts';
import { problemInData } from './run-data.ts';
import { lineDigest, type RunRecord, runPhases, runSteps } from './run-record.ts';
import { isCount, isOneOf, isString, isTime, object, problemIn } from './schema.ts';

/** A journal as it was read. */
export type ParsedJournal = {
  readonly records: readonly RunRecord[];
  /** The lines of these records, without line ends. */
  readonly lines: readonly string[];
  /** The first line that cannot be used; null for a whole journal. */
  readonly damage: JournalDamage | null;
};

/** What is wrong with a journal. */
export type JournalDamage = {
  /** Line number, from 1. */
  readonly line: number;
  /** A clause. */
  readonly why: string;
  /** A disk only damages the end of a file. Otherwise something other than this program changed it, or wrote it. */
  readonly type: 'torn' | 'changed' | 'newer';
};

const recordSchema = object({
  seq: isCount,
  at: isTime,
  step: isOneOf(...runSteps),
  key: isString,
  phase: isOneOf(...runPhases),
  input: isString,
  data: () => true,
  prev: isString,
});

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
    const parsed = parseLine(line, { prev: last, seq: index });
    if ('record' in parsed) {
      records.push(parsed.record);
      last = lineDigest(line);
      continue;
    }
    // A later line that is whole was not written behind a torn one.
    const isTorn = parsed.type === 'torn' && lines.slice(index + 1).every((later) => parseObject(later) === null);
    const type = parsed.type === 'torn' && !isTorn ? 'changed' : parsed.type;
    return { records, lines: lines.slice(0, index), damage: { line: index + 1, why: parsed.why, type } };
  }
  return { records, lines, damage: null };
}

type ParsedLine = { readonly record: RunRecord } | Pick<JournalDamage, 'why' | 'type'>;

function parseLine(line: string, { prev, seq }: Pick<RunRecord, 'prev' | 'seq'>): ParsedLine {
  const value = parseObject(line);
  if (value === null) return { type: 'torn', why: 'it is not a JSON object' };
  const written = newerFormat(value['data']);
  if (seq === 0 && written !== null)
    return { type: 'newer', why: `a newer version of Bevelstone wrote it (${written})` };
  const problem = problemIn(value, recordSchema);
  if (problem !== null) return { type: 'changed', why: problem };
  const record = value as RunRecord;
  if (record.prev !== prev || record.seq !== seq) return { type: 'changed', why: 'it does not follow the line before' };
  const wrong = problemInData(record);
  return wrong === null ? { record } : { type: 'changed', why: wrong };
}

function parseObject(line: string): Readonly<Record<string, unknown>> | null {
  const value = jsonOrNull(line);
  return typeof value === 'object' && value !== null ? (value as Record<string, unknown>) : null;
}
