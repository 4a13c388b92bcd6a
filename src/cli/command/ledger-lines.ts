import type { ReleaseLines } from '../../flow/ledger/lines.ts';
import type { Command } from '../command.ts';
import { linesJson, renderLines } from '../view/lines.ts';

type LinesArguments = { readonly release: string; readonly setUp: boolean };

/** `bevelstone ledger lines`. */
export const ledgerLines: Command<LinesArguments, ReleaseLines> = {
  options: (yargs) =>
    yargs
      .positional('release', {
        type: 'string',
        demandOption: true,
        describe: 'PACKAGE@VERSION, or PACKAGE for the newest',
      })
      .option('set-up', { type: 'boolean', describe: 'Also print what each machine or project needs once' }),
  examples: [
    ['ledger lines tidemark@1.4.0', 'Print what users type or paste to get exactly this release'],
    ['ledger lines tidemark-py --set-up', 'With the index address and the variable of the token'],
  ],
  parse: (raw) => ({ release: String(raw['release']), setUp: raw['setUp'] === true }),
  run: async ({ release, setUp }, context) => {
    const { releaseLines } = await import('../../flow/ledger/lines.ts');
    return { result: await releaseLines(context, release, setUp) };
  },
  render: renderLines,
  toJson: linesJson,
};
