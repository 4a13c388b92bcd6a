import type { InputsUpdated, UpdateOptions } from '../../flow/inputs/update-inputs.ts';
import { type Command, optionalText } from '../command.ts';
import { renderUpdated, renderUpdatePlan, updatedJson } from '../view/inputs.ts';

/** `bevelstone inputs update`. */
export const inputsUpdate: Command<UpdateOptions, InputsUpdated> = {
  options: (yargs) =>
    yargs
      .version(false)
      .positional('name', { type: 'string', describe: 'Input; all of them when left out' })
      .option('version', { type: 'string', nargs: 1, describe: 'Version that fills {version} in its addresses' })
      .option('yes', { alias: 'y', type: 'boolean', describe: 'Do not ask' })
      .option('dry-run', { type: 'boolean', describe: 'Fetch and compare, and write nothing' }),
  examples: [
    ['inputs update constants', 'Fetch it again, and show what is different before its checksum is written'],
    ['inputs update constants --version 2.5.0', 'The same with a new version'],
  ],
  parse: (raw) => ({
    name: optionalText(raw, 'name'),
    version: optionalText(raw, 'version'),
    dryRun: raw['dryRun'] === true,
  }),
  run: async (options, context, { ask, screen }) => {
    const { updateInputs } = await import('../../flow/inputs/update-inputs.ts');
    const result = await updateInputs(context, options, (updates) =>
      ask({ shown: renderUpdatePlan(updates, screen), question: 'Write it into bevelstone.yaml?' }),
    );
    return { result };
  },
  render: renderUpdated,
  toJson: updatedJson,
};
