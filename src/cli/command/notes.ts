import type { Notes, NotesFormat, NotesOptions } from '../../flow/survey/notes.ts';
import { type Command, optionalText } from '../command.ts';
import { notesJson, renderNotes } from '../view/notes.ts';

/** `bevelstone notes`. */
export const notes: Command<NotesOptions, Notes> = {
  options: (yargs) =>
    yargs
      .option('from', { type: 'string', describe: 'Start after this commit or tag instead of the last release' })
      .option('to', {
        type: 'string',
        describe: 'End at this commit; the tag of a release gives the notes of that release',
      })
      .option('format', { choices: ['md', 'text', 'json', 'debian'], default: 'md', describe: 'How to write them' })
      .option('template', { type: 'string', describe: 'Your own template (mustache language)' })
      .option('contributors', { type: 'boolean', describe: 'List everyone who contributed' })
      .option('write', { type: 'boolean', describe: 'Add them to the changelog file of each package' }),
  examples: [
    ['notes', 'Notes of the next release of every package'],
    ['notes -p tidemark --write', "Add them to the package's changelog"],
    ['notes --to tidemark/1.3.2 --format text', 'Notes of a past release'],
  ],
  parse: (raw) => ({
    from: optionalText(raw, 'from'),
    to: optionalText(raw, 'to'),
    format: raw['format'] as NotesFormat,
    template: optionalText(raw, 'template'),
    contributors: raw['contributors'] === true,
    write: raw['write'] === true,
  }),
  run: async (options, context) => {
    const { makeNotes } = await import('../../flow/survey/notes.ts');
    return { result: await makeNotes(context, options) };
  },
  render: (result, screen, { format }) => renderNotes(result, screen, format === 'json'),
  toJson: notesJson,
};
