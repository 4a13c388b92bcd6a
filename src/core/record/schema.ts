import { isVersion } from '../version/version.ts';

/** What a stored value must be: a check of a plain value, or a schema for objects and lists. */
export type Schema = Check | ObjectSchema | ListSchema | UnionSchema | NullableSchema;

/** Whether a plain value is one that the field can have. */
export type Check = (value: unknown) => boolean;

/** The fields of an object, all of which must be there. */
export type Shape = Readonly<Record<string, Schema>>;

type ObjectSchema = { readonly type: 'object'; readonly shape: Shape; readonly isOpen: boolean };
type ListSchema = { readonly type: 'list'; readonly each: Schema };
type NullableSchema = { readonly type: 'nullable'; readonly inner: Schema };
type UnionSchema = { readonly type: 'union'; readonly shapes: Readonly<Record<string, Shape>> };

/** An object with exactly these fields. */
export const object = (shape: Shape): Schema => ({ type: 'object', shape, isOpen: false });

/** An object with these fields and maybe more: a later version of the format may add some. */
export const openObject = (shape: Shape): Schema => ({ type: 'object', shape, isOpen: true });

/** A list whose items all follow one schema. */
export const list = (each: Schema): Schema => ({ type: 'list', each });

/** An object whose `type` says which other fields it has. */
export const union = (shapes: UnionSchema['shapes']): Schema => ({ type: 'union', shapes });

/** Null, or what the schema says. */
export const nullable = (inner: Schema): Schema => ({ type: 'nullable', inner });

/**
 * Why a value does not follow a schema, with the path of the field; null when it does.
 * @param at the path of the value inside its record, '' for the record itself.
 */
export function problemIn(value: unknown, schema: Schema, at = ''): string | null {
  if (typeof schema === 'function') return schema(value) ? null : `\`${at}\` has a value that it cannot have`;
  if (schema.type === 'nullable') return value === null ? null : problemIn(value, schema.inner, at);
  if (schema.type === 'list') {
    if (!Array.isArray(value)) return `${titleOf(at)} is not a list`;
    return firstProblem(value.map((item, index) => () => problemIn(item, schema.each, `${at}[${index}]`)));
  }
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return `${titleOf(at)} is not an object`;
  const fields = value as Readonly<Record<string, unknown>>;
  if (schema.type === 'object') return problemInFields(fields, schema, at);
  const { type } = fields;
  const shape = typeof type === 'string' && Object.hasOwn(schema.shapes, type) ? schema.shapes[type] : undefined;
  if (shape === undefined) return `\`${below(at, 'type')}\` has a value that it cannot have`;
  return problemInFields(fields, { shape: { type: isText, ...shape }, isOpen: false }, at);
}

function problemInFields(
  fields: Readonly<Record<string, unknown>>,
  { shape, isOpen }: Pick<ObjectSchema, 'shape' | 'isOpen'>,
  at: string,
): string | null {
  const isOptional = (name: string) => optional.has(shape[name] as Schema);
  const missing = Object.keys(shape).find((name) => !Object.hasOwn(fields, name) && !isOptional(name));
  if (missing !== undefined) return `\`${below(at, missing)}\` is missing`;
  const given = Object.entries(shape).filter(([name]) => Object.hasOwn(fields, name));
  const wrong = firstProblem(
    given.map(
      ([name, schema]) =>
        () =>
          problemIn(fields[name], schema, below(at, name)),
    ),
  );
  if (wrong !== null || isOpen) return wrong;
  const added = Object.keys(fields).find((name) => !Object.hasOwn(shape, name));
  return added === undefined ? null : `${titleOf(at)} has an unknown field "${added.slice(0, 40)}"`;
}

/** Schemas of fields that may be left out. */
const optional = new WeakSet<Schema>();

/** A field that may be left out. */
export function orLeftOut(schema: Schema): Schema {
  const own: Schema = typeof schema === 'function' ? (value) => schema(value) : { ...schema };
  optional.add(own);
  return own;
}

function firstProblem(questions: readonly (() => string | null)[]): string | null {
  for (const ask of questions) {
    const problem = ask();
    if (problem !== null) return problem;
  }
  return null;
}

const below = (at: string, name: string) => (at === '' ? name : `${at}.${name}`);
const titleOf = (at: string) => (at === '' ? 'it' : `\`${at}\``);

/** The longest free text in a record, in UTF-16 code units. */
export const maxTextLength = 4000;

/** Text for people, on any number of lines. */
export const isText: Check = (value) => typeof value === 'string' && value.length <= maxTextLength;

/** Text of any length. */
export const isString: Check = (value) => typeof value === 'string';

/** A short text on one line. */
export const isLine: Check = (value) =>
  typeof value === 'string' && value.length > 0 && value.length <= 300 && !/[\u0000-\u001f\u007f]/.test(value);

export const isCount: Check = (value) => Number.isSafeInteger(value) && (value as number) >= 0;
export const isFlag: Check = (value) => typeof value === 'boolean';

/** A digest of so many hexadecimal digits. */
export const isHex = (length: number): Check => {
  const pattern = new RegExp(`^[0-9a-f]{${length}}$`);
  return (value) => typeof value === 'string' && pattern.test(value);
};

export const isSha256 = isHex(64);
export const isCommit: Check = (value) => isHex(40)(value) || isSha256(value);
export const isVersionText: Check = (value) => typeof value === 'string' && isVersion(value);

export const isPackageName: Check = (value) =>
  typeof value === 'string' && value.length <= 214 && /^@?[\w][\w.+~:-]*(?:\/[\w][\w.+~:-]*)*$/.test(value);

/** ISO 8601 in UTC with milliseconds. */
export const isTime: Check = (value) =>
  typeof value === 'string' &&
  /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{3}Z$/.test(value) &&
  !Number.isNaN(Date.parse(value)) &&
  new Date(value).toISOString() === value;

/** A list without repetitions. */
export const isSetOf =
  (check: Check): Check =>
  (value) =>
    Array.isArray(value) && value.length <= 10_000 && value.every(check) && new Set(value).size === value.length;

export const orNull =
  (check: Check): Check =>
  (value) =>
    value === null || check(value);

export const isOneOf =
  (...words: readonly string[]): Check =>
  (value) =>
    typeof value === 'string' && words.includes(value);
