import type { InputSaved, SaveOptions } from '../../flow/inputs/save-input.ts';
import { type Command, optionalText } from '../command.ts';
import { renderSaved, savedJson } from '../view/inputs.ts';

/** `bevelstone inputs save`. */
export const inputsSave: Command<SaveOptions, InputSaved> = {
  options: (yargs) =>
    yargs
      .positional('name', { type: 'string', describe: 'Input; may be left out for the only one' })
      .option('patch', { type: 'string', nargs: 1, describe: 'Patch that gets what is not committed' })
      .option('subject', { type: 'string', nargs: 1, describe: 'Put what is not committed into a new patch' })
      .conflicts('patch', 'subject'),
  examples: [
    ['inputs save constants', 'Write the patches of the commits in its edit'],
    ['inputs save constants --patch 0001-datum.patch', 'With edits that are not committed in that patch'],
    ['inputs save constants --subject "Add the quay"', 'With them in a new patch'],
  ],
  parse: (raw) => ({
    name: optionalText(raw, 'name'),
    patch: optionalText(raw, 'patch'),
    subject: optionalText(raw, 'subject'),
  }),
  run: async (options, context) => {
    const { saveInput } = await import('../../flow/inputs/save-input.ts');
    return { result: await saveInput(context, options) };
  },
  render: renderSaved,
  toJson: savedJson,
};
