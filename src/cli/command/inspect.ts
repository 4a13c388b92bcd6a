import type { Inspection, InspectOptions } from '../../flow/artifact/inspect.ts';
import { type Command, optionalText } from '../command.ts';
import { inspectionJson, renderInspection } from '../view/inspect.ts';

type Arguments = InspectOptions & { readonly tree: boolean };

/** `bevelstone inspect FILE`. */
export const inspect: Command<Arguments, Inspection> = {
  options: (yargs) =>
    yargs
      .positional('file', { type: 'string', describe: 'An artifact of any form, from anywhere', demandOption: true })
      .option('tree', { type: 'boolean', describe: 'Show entries as a tree' })
      .option('against', { type: 'string', describe: 'Compare with this artifact, or with `last`, the last release' })
      .option('picks', { type: 'boolean', describe: 'Show which file each kind of consumer gets' })
      .option('left-behind', { type: 'boolean', describe: 'List files of the package that are not included, and why' })
      .option('print', { type: 'string', describe: 'Print one entry unchanged' })
      .option('extract', { type: 'string', describe: 'Write all entries into this folder' })
      .conflicts('print', ['tree', 'against', 'picks', 'left-behind', 'extract', 'json']),
  examples: [
    ['inspect bevelstone-out/tidemark-1.4.0/tidemark-1.4.0.tgz', 'What a user would get'],
    ['inspect new.whl --against old.whl', 'What changed between two files'],
    ['inspect tidemark-1.4.0.tgz --picks', 'Which file servers, bundlers and type checkers get'],
    ['inspect theirs.deb --print usr/share/doc/theirs/copyright', 'One file from inside'],
  ],
  parse: (raw) => ({
    file: String(raw['file']),
    tree: raw['tree'] === true,
    against: optionalText(raw, 'against'),
    picks: raw['picks'] === true,
    leftBehind: raw['leftBehind'] === true,
    print: optionalText(raw, 'print'),
    extract: optionalText(raw, 'extract'),
  }),
  run: async (options, context) => {
    const { inspectFile } = await import('../../flow/artifact/inspect.ts');
    const result = await inspectFile(context, options);
    return { result, ...(result.printed === null ? {} : { bytes: result.printed.bytes }) };
  },
  render: renderInspection,
  toJson: inspectionJson,
};
