/** What is wrong in an SBOM, and where (RFC 6901, JSON Pointer). */
export type SbomProblem = { readonly pointer: string; readonly message: string };

/** Expected shape of a value. Other fields are errors, as both formats' schemas say, unless `open`. */
export type Shape =
  | { readonly type: 'text'; readonly pattern?: RegExp; readonly says?: string; readonly of?: readonly string[] }
  | { readonly type: 'number' | 'boolean' | 'any' }
  | { readonly type: 'list'; readonly items: Shape }
  | { readonly type: 'object'; readonly needs: readonly string[]; readonly fields: Readonly<Record<string, Shape>> };

export const text: Shape = { type: 'text' };
export const any: Shape = { type: 'any' };
export const flag: Shape = { type: 'boolean' };
export const number: Shape = { type: 'number' };

/** A text of a pattern, with words for what it should be. */
export function textLike(pattern: RegExp, says: string): Shape {
  return { type: 'text', pattern, says };
}

/** One of some words. */
export function oneOf(...of: readonly string[]): Shape {
  return { type: 'text', of };
}

export function listOf(items: Shape): Shape {
  return { type: 'list', items };
}

/** An object: required fields first, then all fields. */
export function record(needs: readonly string[], fields: Readonly<Record<string, Shape>>): Shape {
  return { type: 'object', needs, fields };
}

/** Compares a value with a shape; every difference with its place. */
export function checkShape(value: unknown, shape: Shape, pointer = ''): SbomProblem[] {
  const wrong = (message: string): SbomProblem[] => [{ pointer, message }];
  switch (shape.type) {
    case 'any':
      return [];
    case 'number':
    case 'boolean':
      return typeof value === shape.type
        ? []
        : wrong(`it is no ${shape.type === 'number' ? 'number' : 'true or false'}`);
    case 'text':
      if (typeof value !== 'string') return wrong('it is not a string');
      if (shape.of !== undefined && !shape.of.includes(value))
        return wrong(`"${value.slice(0, 60)}" is none of the words that may stand here`);
      return shape.pattern === undefined || shape.pattern.test(value)
        ? []
        : wrong(`"${value.slice(0, 80)}" is no ${shape.says ?? 'such text'}`);
    case 'list':
      if (!Array.isArray(value)) return wrong('it is not an array');
      return value.flatMap((item, index) => checkShape(item, shape.items, `${pointer}/${index}`));
    case 'object':
      return checkObject(value, shape, pointer);
  }
}

function checkObject(
  value: unknown,
  { needs, fields }: Extract<Shape, { type: 'object' }>,
  pointer: string,
): SbomProblem[] {
  if (typeof value !== 'object' || value === null || Array.isArray(value))
    return [{ pointer, message: 'it is not an object' }];
  const missing = needs
    .filter((name) => !(name in value))
    .map((name) => ({ pointer, message: `it has no \`${name}\`` }));
  const inside = Object.entries(value).flatMap(([name, value]) => {
    const place = `${pointer}/${name.replaceAll('~', '~0').replaceAll('/', '~1')}`;
    const shape = Object.hasOwn(fields, name) ? fields[name] : undefined;
    return shape === undefined
      ? [{ pointer: place, message: 'the specification has no such field' }]
      : checkShape(value, shape, place);
  });
  return [...missing, ...inside];
}
