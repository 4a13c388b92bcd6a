import type { BillCheck } from '../../flow/sbom/bill-check.ts';
import { type Command, optionalText } from '../command.ts';
import { renderBillCheck } from '../view/bill.ts';

type Arguments = { readonly file: string; readonly against: string | null };

/** `bevelstone bill check FILE`. */
export const billCheck: Command<Arguments, BillCheck> = {
  options: (yargs) =>
    yargs
      .positional('file', { type: 'string', describe: 'SPDX 2.3 or CycloneDX 1.6 in JSON' })
      .option('against', { type: 'string', describe: 'Artifact or folder that the bill is about' }),
  examples: [
    ['bill check theirs.spdx.json', 'Does it follow its specification?'],
    ['bill check tidemark-1.4.0.cdx.json --against tidemark-1.4.0.tgz', 'Does it tell the truth?'],
  ],
  parse: (raw) => ({ file: optionalText(raw, 'file') ?? '', against: optionalText(raw, 'against') }),
  run: async ({ file, against }, context) => {
    const flow = await import('../../flow/sbom/bill-check.ts');
    const result = await flow.checkBillFile(context, file, against);
    return { result, error: flow.billRefusal(result) };
  },
  render: renderBillCheck,
  toJson: (result) => result,
};
