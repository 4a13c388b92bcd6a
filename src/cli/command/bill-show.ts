import type { BillView } from '../../flow/sbom/bill-check.ts';
import { type Command, optionalText } from '../command.ts';
import { billViewJson, renderBill } from '../view/bill.ts';

type Arguments = { readonly file: string; readonly against: string | null };

/** `bevelstone bill show FILE`. */
export const billShow: Command<Arguments, BillView> = {
  options: (yargs) =>
    yargs
      .positional('file', { type: 'string', describe: 'SPDX 2.3 or CycloneDX 1.6 in JSON' })
      .option('against', { type: 'string', describe: 'Bill of another release, to see what changed' }),
  examples: [
    ['bill show tidemark-1.4.0.spdx.json', 'What is in it, under which licences'],
    ['bill show tidemark-1.4.0.spdx.json --against tidemark-1.3.2.spdx.json', 'What changed since'],
  ],
  parse: (raw) => ({ file: optionalText(raw, 'file') ?? '', against: optionalText(raw, 'against') }),
  run: async ({ file, against }, context) => {
    const { showBill } = await import('../../flow/sbom/bill-check.ts');
    return { result: await showBill(context, file, against) };
  },
  render: renderBill,
  toJson: billViewJson,
};
