import type { Rehearsal, RehearseOptions } from '../../flow/trial/rehearse.ts';
import type { Command } from '../command.ts';
import { renderRehearsal, triedJson } from '../view/trial.ts';

/** `bevelstone rehearse`. */
export const rehearse: Command<RehearseOptions, Rehearsal> = {
  options: (yargs) =>
    yargs
      .option('everyone', { type: 'boolean', describe: 'Also install all packages together in one environment' })
      .option('source', {
        type: 'boolean',
        describe: 'Build from the source archives instead, as others do, and compare',
      })
      .option('git', { type: 'boolean', describe: 'Also install from git, with the clients that can' })
      .conflicts('source', ['everyone', 'git']),
  examples: [
    ['rehearse', 'Install everything from throw-away stand-ins, and run the trials'],
    ['rehearse --git -p gauges', 'One package, from a stand-in and from git'],
    ['rehearse --source -p harmonics', 'Build one package from its source archive alone, and compare'],
    ['rehearse -p tidemark-py --everyone --json', 'One package, for a program'],
  ],
  parse: (raw) => ({ everyone: raw['everyone'] === true, source: raw['source'] === true, git: raw['git'] === true }),
  run: async (options, context) => {
    const flow = await import('../../flow/trial/rehearse.ts');
    const result = await flow.rehearse(context, options);
    return { result, error: result.error };
  },
  render: renderRehearsal,
  toJson: triedJson,
};
