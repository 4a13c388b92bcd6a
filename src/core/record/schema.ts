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

/** Where a value is inside its record: the names of fields and the numbers of items, from the inside out. */
type Place = { readonly name: string | number; readonly above: Place } | null;

/**
 * Why a value does not follow a schema, with the path of the field; null when it does.
 * @param at the path of the value inside its record, '' for the record itself.
 */
export function problemIn(value: unknown, schema: Schema, at = ''): string | null {
  return problemAt(value, schema, at === '' ? null : { name: at, above: null });
}

/** A large ledger asks this of a million values, nearly all of which are good: a place becomes text only for one that is not. */
function problemAt(value: unknown, schema: Schema, at: Place): string | null {
  if (typeof schema === 'function') return schema(value) ? null : `\`${pathOf(at)}\` has a value that it cannot have`;
  if (schema.type === 'nullable') return value === null ? null : problemAt(value, schema.inner, at);
  if (schema.type === 'list') {
    if (!Array.isArray(value)) return `${titleOf(at)} is not a list`;
    for (let index = 0; index < value.length; index++) {
      const problem = problemAt(value[index], schema.each, { name: index, above: at });
      if (problem !== null) return problem;
    }
    return null;
  }
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return `${titleOf(at)} is not an object`;
  const fields = value as Readonly<Record<string, unknown>>;
  if (schema.type === 'object') return problemInFields(fields, schema, at);
  const { type } = fields;
  const shape = typeof type === 'string' && Object.hasOwn(schema.shapes, type) ? schema.shapes[type] : undefined;
  if (shape === undefined) return `\`${pathOf({ name: 'type', above: at })}\` has a value that it cannot have`;
  return problemInFields(fields, { shape: { type: isText, ...shape }, isOpen: false }, at);
}

function problemInFields(
  fields: Readonly<Record<string, unknown>>,
  { shape, isOpen }: Pick<ObjectSchema, 'shape' | 'isOpen'>,
  at: Place,
): string | null {
  for (const name in shape)
    if (!Object.hasOwn(fields, name) && !optional.has(shape[name] as Schema))
      return `\`${pathOf({ name, above: at })}\` is missing`;
  for (const name in shape) {
    if (!Object.hasOwn(fields, name)) continue;
    const problem = problemAt(fields[name], shape[name] as Schema, { name, above: at });
    if (problem !== null) return problem;
  }
  if (isOpen) return null;
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

/** The path of a place, such as `artifacts[2].file`; '' for the record itself. */
function pathOf(place: Place): string {
  if (place === null) return '';
  const above = pathOf(place.above);
  if (typeof place.name === 'number') return `${above}[${place.name}]`;
  return above === '' ? place.name : `${above}.${place.name}`;
}

const titleOf = (at: Place) => (at === null ? 'it' : `\`${pathOf(at)}\``);

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
const isSha1 = isHex(40);
export const isCommit: Check = (value) => isSha1(value) || isSha256(value);
export const isVersionText: Check = (value) => typeof value === 'string' && isVersion(value);

export const isPackageName: Check = (value) =>
  typeof value === 'string' && value.length <= 214 && /^@?[\w][\w.+~:-]*(?:\/[\w][\w.+~:-]*)*$/.test(value);

/** ISO 8601 in UTC with milliseconds. */
export const isTime: Check = (value) =>
  typeof value === 'string' &&
  /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{3}Z$/.test(value) &&
  // Without the thirtieth of February, which JavaScript takes for a day in March.
  new Date(value).toJSON() === value;

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
