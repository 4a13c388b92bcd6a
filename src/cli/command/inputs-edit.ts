import type { InputEdited } from '../../flow/inputs/edit-input.ts';
import { type Command, optionalText } from '../command.ts';
import { editedJson, renderEdited } from '../view/inputs.ts';

/** `bevelstone inputs edit`. */
export const inputsEdit: Command<{ readonly name: string | null }, InputEdited> = {
  options: (yargs) => yargs.positional('name', { type: 'string', describe: 'Input; may be left out for the only one' }),
  examples: [
    ['inputs edit constants', 'Its sources with all patches, one commit each, in a folder of their own'],
    ['inputs save constants', 'Afterwards: make the patches anew from there'],
  ],
  parse: (raw) => ({ name: optionalText(raw, 'name') }),
  run: async ({ name }, context) => {
    const { editInput } = await import('../../flow/inputs/edit-input.ts');
    return { result: await editInput(context, name) };
  },
  render: renderEdited,
  toJson: editedJson,
};
