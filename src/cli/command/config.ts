import type { ReadConfig } from '../../flow/workspace/config.ts';
import type { Command } from '../command.ts';
import { configJson, renderChecked, renderConfig } from '../view/config.ts';

const read: Pick<Command<null, ReadConfig>, 'options' | 'parse' | 'toJson'> = {
  options: (yargs) => yargs,
  parse: () => null,
  toJson: configJson,
};

/** `bevelstone config check`. */
export const configCheck: Command<null, ReadConfig> = {
  ...read,
  examples: [['config check', 'Check bevelstone.yaml; every mistake is shown with its line']],
  run: async (_args, context) => {
    const { checkConfiguration } = await import('../../flow/workspace/config.ts');
    return { result: await checkConfiguration(context) };
  },
  render: renderChecked,
};

/** `bevelstone config show`. */
export const configShow: Command<null, ReadConfig> = {
  ...read,
  examples: [['config show', 'The configuration with every default filled in']],
  run: async (_args, context) => {
    const { readConfiguration } = await import('../../flow/workspace/config.ts');
    return { result: await readConfiguration(context) };
  },
  render: renderConfig,
};

/** `bevelstone config schema`. */
export const configSchema: Command<null, unknown> = {
  options: (yargs) => yargs,
  examples: [['config schema > bevelstone.schema.json', 'JSON Schema of bevelstone.yaml, for editors']],
  parse: () => null,
  run: async () => {
    const { configJsonSchema } = await import('../../core/config/json-schema.ts');
    return { result: configJsonSchema() };
  },
  render: (schema) => JSON.stringify(schema, null, 2),
  toJson: (schema) => ({ schema }),
};
