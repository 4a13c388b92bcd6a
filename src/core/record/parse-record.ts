import { problemIn, type Schema } from './schema.ts';

/** A stored record as it was read, or why it is not one: the field, or the version of its format. */
export type ParsedRecord<Value> =
  | { readonly type: 'record'; readonly record: Value }
  | { readonly type: 'damaged'; readonly why: string }
  | { readonly type: 'newer'; readonly format: string };

const format = 'bevelstone/1';

/** Reads a record of the format `bevelstone/1` by its schema. Fields that the schema does not have are kept. */
export function parseRecord<Value>(text: string, schema: Schema): ParsedRecord<Value> {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    return { type: 'damaged', why: 'it is not JSON' };
  }
  const written = typeof value === 'object' && value !== null && 'schema' in value ? value.schema : null;
  if (typeof written === 'string' && /^bevelstone\/[1-9]\d{0,5}$/.test(written) && written !== format)
    return { type: 'newer', format: written };
  if (written !== format) return { type: 'damaged', why: `\`schema\` is not "${format}"` };
  const problem = problemIn(value, schema);
  return problem === null ? { type: 'record', record: value as Value } : { type: 'damaged', why: problem };
}

/** Why a record cannot be used, as a clause. */
export function whyUnreadable(parsed: Exclude<ParsedRecord<unknown>, { type: 'record' }>): string {
  return parsed.type === 'newer' ? `a newer version of Bevelstone wrote it (${parsed.format})` : parsed.why;
}
