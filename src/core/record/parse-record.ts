import { objectOf } from '../manifest/fields.ts';
import { parseJson } from '../text/json.ts';
import { problemIn, type Schema } from './schema.ts';

/** A stored record as it was read, or why it is not one: the field, or the version of its format. */
export type ParsedRecord<Value> =
  | { readonly type: 'record'; readonly record: Value }
  | { readonly type: 'damaged'; readonly why: string }
  | { readonly type: 'newer'; readonly format: string };

/** The format of every record that this program writes. */
export const format = 'bevelstone/1';

/** Reads a record of the format `bevelstone/1` by its schema. Fields that the schema does not have are kept. */
export function parseRecord<Value>(text: string, schema: Schema): ParsedRecord<Value> {
  let value: unknown;
  try {
    value = parseJson(text);
  } catch {
    return { type: 'damaged', why: 'it is not JSON' };
  }
  const newer = newerFormat(value);
  if (newer !== null) return { type: 'newer', format: newer };
  if (objectOf(value)['schema'] !== format) return { type: 'damaged', why: `\`schema\` is not "${format}"` };
  const problem = problemIn(value, schema);
  return problem === null ? { type: 'record', record: value as Value } : { type: 'damaged', why: problem };
}

/** The format of a record that a newer program wrote; null for any other value. */
export function newerFormat(value: unknown): string | null {
  const { schema: written } = objectOf(value);
  return typeof written === 'string' && /^bevelstone\/[1-9]\d{0,5}$/.test(written) && written !== format
    ? written
    : null;
}

/** Why a record cannot be used, as a clause. */
export function whyUnreadable(parsed: Exclude<ParsedRecord<unknown>, { type: 'record' }>): string {
  return parsed.type === 'newer' ? `a newer version of Bevelstone wrote it (${parsed.format})` : parsed.why;
}
