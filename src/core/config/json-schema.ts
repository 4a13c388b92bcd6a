import type Joi from 'joi';
import { keyDescriptions } from './key-descriptions.ts';
import { configSchema } from './schema.ts';

type Json = Readonly<Record<string, unknown>>;

/** The schema of bevelstone.yaml for editors, as JSON Schema (draft 2020-12); what only the program can tell is left open. */
export function configJsonSchema(): Json {
  const inside = convert(configSchema().describe(), '');
  return { $schema: 'https://json-schema.org/draft/2020-12/schema', title: 'bevelstone.yaml', ...inside };
}

type Described = Joi.Description & {
  readonly keys?: Readonly<Record<string, Described>>;
  readonly patterns?: readonly { readonly rule: Described }[];
  readonly items?: readonly Described[];
  readonly matches?: readonly {
    readonly schema?: Described;
    readonly then?: Described;
    readonly otherwise?: Described;
  }[];
  readonly allow?: readonly unknown[];
  readonly flags?: { readonly only?: boolean; readonly presence?: string; readonly default?: unknown };
  readonly rules?: readonly {
    readonly name: string;
    readonly args?: { readonly limit?: number; readonly regex?: string };
  }[];
};

/** @param path of the value inside the file, as in `keyDescriptions`. */
function convert(described: Described, path: string): Json {
  const { type, allow = [], flags } = described;
  const values = allow.filter((item) => item === null || typeof item !== 'object');
  if (flags?.only === true && values.length > 0) return { enum: values };
  const inside = convertType(described, type ?? 'any', path);
  return values.length === 0 ? inside : { anyOf: [inside, { enum: values }] };
}

function convertType(described: Described, type: string, path: string): Json {
  if (type === 'object') return convertObject(described, path);
  if (type === 'array') {
    const items = (described.items ?? []).map((item) => convert(item, `${path}[]`));
    return {
      type: 'array',
      ...(items.length === 0 ? {} : { items: items.length === 1 ? items[0] : { anyOf: items } }),
      ...limits(described, 'Items'),
    };
  }
  if (type === 'alternatives') {
    const choices = (described.matches ?? []).flatMap(({ schema, then, otherwise }) =>
      [then, otherwise, then === undefined ? schema : undefined].flatMap((item) =>
        item === undefined ? [] : [convert(item, path)],
      ),
    );
    return choices.length === 0 ? {} : { anyOf: choices };
  }
  if (type === 'number') return { type: 'number' };
  if (type === 'boolean') return { type: 'boolean' };
  if (type === 'string') return { type: 'string', ...limits(described, 'Length') };
  return {};
}

function convertObject({ keys = {}, patterns = [] }: Described, path: string): Json {
  const names = Object.keys(keys);
  const required = names.filter((name) => keys[name]?.flags?.presence === 'required');
  const [pattern] = patterns;
  return {
    type: 'object',
    ...(names.length === 0
      ? {}
      : {
          properties: Object.fromEntries(names.map((name) => [name, convertKey(keys[name] as Described, path, name)])),
        }),
    ...(required.length === 0 ? {} : { required }),
    additionalProperties: pattern === undefined ? names.length === 0 : convert(pattern.rule, `${path}.*`),
  };
}

function convertKey(described: Described, above: string, name: string): Json {
  const path = above === '' ? name : `${above}.${name}`;
  const description = keyDescriptions[path] ?? keyDescriptions[`${above}.*`];
  return { ...(description === undefined ? {} : { description }), ...convert(described, path) };
}

function limits({ rules = [] }: Described, what: 'Items' | 'Length'): Json {
  return Object.fromEntries(
    rules.flatMap(({ name, args }) =>
      (name === 'min' || name === 'max') && typeof args?.limit === 'number' ? [[`${name}${what}`, args.limit]] : [],
    ),
  );
}
