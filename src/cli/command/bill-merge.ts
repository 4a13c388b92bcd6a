import type { BillMerge } from '../../flow/sbom/bill-check.ts';
import { type Command, optionalText, textList } from '../command.ts';
import { renderMerge } from '../view/bill.ts';

type Arguments = { readonly files: readonly string[]; readonly to: string };

/** `bevelstone bill merge A B… --to FILE`. */
export const billMerge: Command<Arguments, BillMerge> = {
  options: (yargs) =>
    yargs
      .positional('files', { type: 'string', array: true, describe: 'Bills to join, of either kind' })
      .option('to', { type: 'string', demandOption: true, describe: 'File to write; its name says the kind' }),
  examples: [['bill merge tidemark.spdx.json gauges.spdx.json --to all.spdx.json', 'One bill for both packages']],
  parse: (raw) => ({ files: textList(raw, 'files'), to: optionalText(raw, 'to') ?? '' }),
  run: async ({ files, to }, context) => {
    const { mergeBillFiles } = await import('../../flow/sbom/bill-check.ts');
    return { result: await mergeBillFiles(context, files, to) };
  },
  render: renderMerge,
  toJson: (result) => result,
};
