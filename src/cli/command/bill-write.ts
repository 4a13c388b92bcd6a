import { type BillKind, billKinds } from '../../core/name/form.ts';
import type { BillOptions, BillsWritten } from '../../flow/sbom/bill-write.ts';
import { type Command, optionalText, textList } from '../command.ts';
import { renderWritten, writtenJson } from '../view/bill.ts';

/** `bevelstone bill write [TARGET…]`. */
export const billWrite: Command<BillOptions, BillsWritten> = {
  options: (yargs) =>
    yargs
      .positional('targets', {
        type: 'string',
        array: true,
        describe: 'Artifacts or folders; without any, what was built for this commit',
      })
      .option('kind', {
        type: 'string',
        array: true,
        nargs: 1,
        choices: billKinds,
        describe: 'Which kinds to write; by default both',
      })
      .option('to', { type: 'string', describe: 'Folder for the bills; by default beside what they are about' }),
  examples: [
    ['bill write', 'Bills of everything built for this commit'],
    ['bill write theirs.whl --kind spdx', 'A bill of any artifact'],
    ['bill write vendor/tables --to /tmp', 'A bill of a folder'],
  ],
  parse: (raw) => ({
    targets: textList(raw, 'targets'),
    kinds: textList(raw, 'kind') as BillKind[],
    to: optionalText(raw, 'to'),
  }),
  run: async (options, context) => {
    const { writeBills } = await import('../../flow/sbom/bill-write.ts');
    return { result: await writeBills(context, options) };
  },
  render: renderWritten,
  toJson: writtenJson,
};
