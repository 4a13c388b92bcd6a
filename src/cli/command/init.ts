import { type Ecosystem, ecosystems } from '../../core/name/ecosystem.ts';
import type { Init, InitOptions } from '../../flow/survey/init.ts';
import { type Command, optionalText } from '../command.ts';
import { initJson, renderInit } from '../view/init.ts';

/** `bevelstone init`. */
export const init: Command<InitOptions & { readonly ecosystem: Ecosystem | null }, Init> = {
  options: (yargs) =>
    yargs
      .option('new', {
        type: 'string',
        choices: ecosystems,
        describe: 'Write the smallest complete repository of this ecosystem, where there is no manifest yet',
      })
      .option('dry-run', { type: 'boolean', describe: 'Print the file instead of writing it' })
      .option('yes', { alias: 'y', type: 'boolean', describe: 'Take the defaults without asking' }),
  examples: [
    ['init', 'Write a commented bevelstone.yaml from what the repository tells'],
    ['init --dry-run', 'See it first'],
    ['init --new python', 'Begin a Python package: manifest, readme, licence, first test'],
  ],
  parse: (raw) => ({
    dryRun: raw['dryRun'] === true,
    yes: raw['yes'] === true,
    ecosystem: ecosystems.find((ecosystem) => ecosystem === optionalText(raw, 'new')) ?? null,
  }),
  run: async ({ ecosystem, ...options }, context) => {
    if (ecosystem !== null) {
      const { newRepository } = await import('../../flow/survey/new-repository.ts');
      return { result: await newRepository(context, { ecosystem, dryRun: options.dryRun }) };
    }
    const flow = await import('../../flow/survey/init.ts');
    return { result: await flow.init(context, options) };
  },
  render: renderInit,
  toJson: initJson,
};
