import type { Init } from '../../flow/survey/init.ts';
import type { Command } from '../command.ts';
import { initJson, renderInit } from '../view/init.ts';

/** `bevelstone init`. */
export const init: Command<{ dryRun: boolean }, Init> = {
  options: (yargs) =>
    yargs
      .option('dry-run', { type: 'boolean', describe: 'Print the file instead of writing it' })
      .option('yes', { alias: 'y', type: 'boolean', describe: 'Ask nothing' }),
  examples: [
    ['init', 'Write a commented bevelstone.yaml from what the repository tells'],
    ['init --dry-run', 'See it first'],
  ],
  parse: (raw) => ({ dryRun: raw['dryRun'] === true }),
  run: async (options, context) => {
    const flow = await import('../../flow/survey/init.ts');
    return { result: await flow.init(context, options) };
  },
  render: renderInit,
  toJson: initJson,
};
