import type { Description } from 'joi';

/** The keys that a schema allows in the mapping at this path, for suggestions; empty when any key goes. */
export function knownKeys(schema: Description, path: readonly (string | number)[]): string[] {
  const [step, ...rest] = path;
  if (step === undefined)
    return Object.keys(keysOf(schema)).concat(...branches(schema).map((branch) => knownKeys(branch, [])));
  const own = keysOf(schema)[String(step)];
  const nested = own === undefined ? [...patternsOf(schema), ...itemsOf(schema)] : [own];
  return [
    ...nested.flatMap((next) => knownKeys(next, rest)),
    ...branches(schema).flatMap((branch) => knownKeys(branch, path)),
  ];
}

function keysOf(schema: Description): Record<string, Description> {
  return (schema.keys ?? {}) as Record<string, Description>;
}

function patternsOf(schema: Description): Description[] {
  return ((schema['patterns'] ?? []) as { rule: Description }[]).map(({ rule }) => rule);
}

function itemsOf(schema: Description): Description[] {
  return (schema['items'] ?? []) as Description[];
}

function branches(schema: Description): Description[] {
  const matches = (schema['matches'] ?? []) as { schema?: Description; then?: Description; otherwise?: Description }[];
  return matches.flatMap(({ schema, then, otherwise }) =>
    [schema, then, otherwise].filter((item) => item !== undefined),
  );
}
