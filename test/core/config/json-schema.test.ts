import { describe, expect, it } from 'vitest';
import { configJsonSchema } from '../../../src/core/config/json-schema.ts';
import { keyDescriptions } from '../../../src/core/config/key-descriptions.ts';
import { parseConfig } from '../../../src/core/config/parse-config.ts';

type Schema = {
  readonly description?: string;
  readonly type?: string;
  readonly enum?: readonly unknown[];
  readonly anyOf?: readonly Schema[];
  readonly properties?: Readonly<Record<string, Schema>>;
  readonly required?: readonly string[];
  readonly additionalProperties?: boolean | Schema;
  readonly items?: Schema;
};

/** A judge of the few words that the schema uses. */
function accepts(schema: Schema, value: unknown): boolean {
  if (schema.enum !== undefined) return schema.enum.includes(value as never);
  if (schema.anyOf !== undefined) return schema.anyOf.some((schema) => accepts(schema, value));
  if (schema.type === 'array') return Array.isArray(value) && value.every((item) => accepts(schema.items ?? {}, item));
  if (schema.type === 'object') {
    if (typeof value !== 'object' || value === null || Array.isArray(value)) return false;
    const { properties = {}, required = [], additionalProperties = true } = schema;
    return (
      required.every((name) => name in value) &&
      Object.entries(value).every(([name, inner]) => {
        const own = properties[name];
        if (own !== undefined) return accepts(own, inner);
        return typeof additionalProperties === 'boolean' ? additionalProperties : accepts(additionalProperties, inner);
      })
    );
  }
  return schema.type === undefined || typeof value === schema.type;
}

const schema = configJsonSchema() as Schema;

const good: readonly unknown[] = [
  { schema: 1 },
  {
    schema: 1,
    packages: {
      tidemark: {
        folder: 'packages/tidemark',
        artifacts: [{ form: 'npm-tarball' }],
        build: ['npm ci', { run: 'make', in: 'native' }],
      },
    },
  },
  {
    schema: 1,
    streams: { stable: { from: 'main' }, early: { from: ['early', 'next'], identifier: 'early', spell: 'alpha' } },
  },
  { schema: 1, gates: { clean: false, run: ['npm test'], 'run-in': 'working-folder' }, afterwards: ['true'] },
  { schema: 1, 'write-back': { commit: false, sign: true, make: [{ run: 'true', files: ['README.md'] }] } },
  {
    schema: 1,
    destinations: {
      office: {
        speaks: 's3',
        url: 'https://store.fenmarsh.example',
        bucket: 'tides',
        credential: { 'access-key': 'env:A_KEY', 'secret-key': 'env:S_KEY' },
      },
    },
  },
];

const bad: readonly unknown[] = [
  {},
  { schema: 1, gate: {} },
  { schema: 1, gates: { 'run-in': 'nowhere' } },
  { schema: 1, packages: { tidemark: { folder: 7 } } },
  { schema: 1, afterwards: 'true' },
  { schema: 1, destinations: { office: { speaks: 'telegraph', url: 'https://x.example' } } },
];

describe('the schema for editors', () => {
  it.each(good)('takes what the program takes: %j', (value) => {
    expect(() => parseConfig(JSON.stringify(value), 'bevelstone.yaml')).not.toThrow();
    expect(accepts(schema, value)).toBe(true);
  });

  it.each(bad)('refuses what the program refuses: %j', (value) => {
    expect(() => parseConfig(JSON.stringify(value), 'bevelstone.yaml')).toThrow();
    expect(accepts(schema, value)).toBe(false);
  });
});

describe('the description of a key', () => {
  const missing = (schema: Schema, at: string): string[] => [
    ...Object.entries(schema.properties ?? {}).flatMap(([name, inner]) => [
      ...(inner.description === undefined ? [`${at}${name}`] : []),
      ...missing(inner, `${at}${name}.`),
    ]),
    ...(typeof schema.additionalProperties === 'object' ? missing(schema.additionalProperties, `${at}*.`) : []),
    ...(schema.items === undefined ? [] : missing(schema.items, `${at}[].`)),
    ...(schema.anyOf ?? []).flatMap((choice) => missing(choice, at)),
  ];

  it('is there for every key, for editors to show', () => {
    expect(missing(schema, '')).toEqual([]);
  });

  it('belongs to a key', () => {
    const text = JSON.stringify(schema);

    expect(
      Object.values(keyDescriptions).filter((keyDescription) => !text.includes(JSON.stringify(keyDescription))),
    ).toEqual([]);
  });
});
