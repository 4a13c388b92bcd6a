import { parse, stringify } from 'yaml';
import type { ParsedRecord } from './parse-record.ts';
import { isCount, isSetOf, isString, openObject, problemIn } from './schema.ts';

/** A credential with the only origins that may get it. */
export type KeptCredential = { readonly secret: string; readonly origins: readonly string[] };

/** The entries of the file by their names. Each is checked when it is used, so that a damaged one spoils no other. */
export type KeptEntries = Readonly<Record<string, unknown>>;

const format = 1;
const fileSchema = openObject({ schema: (value) => value === format, kept: openObject({}) });
const entrySchema = openObject({
  secret: isString,
  origins: isSetOf((item) => isString(item) && URL.canParse(`${item}`)),
});

/** The text of the file of kept credentials. */
export function formatKept(kept: KeptEntries): string {
  return stringify({ schema: format, kept });
}

/** Reads the file of kept credentials; an empty one has none. No reason shows text of the file, which may be a secret. */
export function parseKept(text: string): ParsedRecord<KeptEntries> {
  if (text.trim() === '') return { type: 'record', record: {} };
  let value: unknown;
  try {
    value = parse(text, { maxAliasCount: 0, logLevel: 'error' });
  } catch {
    return { type: 'damaged', why: 'it is not valid YAML' };
  }
  const { schema } = (value ?? {}) as { schema?: unknown };
  if (isCount(schema) && (schema as number) > format) return { type: 'newer', format: `schema ${String(schema)}` };
  const problem = problemIn(value, fileSchema);
  if (problem !== null) return { type: 'damaged', why: problem };
  return { type: 'record', record: (value as { kept: KeptEntries }).kept };
}

/** One entry; null when there is none of that name, a reason when it is damaged. */
export function keptCredential(kept: KeptEntries, name: string): KeptCredential | { readonly why: string } | null {
  if (!Object.hasOwn(kept, name)) return null;
  const why = problemIn(kept[name], entrySchema, `kept.${name}`);
  return why === null ? (kept[name] as KeptCredential) : { why };
}
