import type { ReleaseLines } from '../../flow/ledger/lines.ts';
import type { Command } from '../command.ts';
import { linesJson, renderLines } from '../view/lines.ts';

type LinesArguments = { readonly release: string; readonly setUp: boolean; readonly source: boolean };

/** `bevelstone ledger lines`. */
export const ledgerLines: Command<LinesArguments, ReleaseLines> = {
  options: (yargs) =>
    yargs
      .positional('release', {
        type: 'string',
        demandOption: true,
        describe: 'PACKAGE@VERSION, or PACKAGE for the newest',
      })
      .option('set-up', { type: 'boolean', describe: 'Also print what each machine or project needs once' })
      .option('source', { type: 'boolean', describe: 'Print what fetches, checks and builds its sources instead' }),
  examples: [
    ['ledger lines tidemark@1.4.0', 'Print what users type or paste to get exactly this release'],
    ['ledger lines tidemark-py --set-up', 'With the index address and the variable of the token'],
    ['ledger lines harmonics --source', 'For people who build it themselves'],
  ],
  parse: (raw) => ({ release: String(raw['release']), setUp: raw['setUp'] === true, source: raw['source'] === true }),
  run: async ({ release, setUp, source }, context) => {
    const { releaseLines } = await import('../../flow/ledger/lines.ts');
    return { result: await releaseLines(context, release, { isSetUp: setUp, isSource: source }) };
  },
  render: renderLines,
  toJson: linesJson,
};
