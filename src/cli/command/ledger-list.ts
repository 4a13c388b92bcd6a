import type { LedgerRelease } from '../../core/ledger/fold.ts';
import type { Command } from '../command.ts';
import { ledgerJson, renderLedger } from '../view/ledger.ts';

/** `bevelstone ledger list`. */
export const ledgerList: Command<null, readonly LedgerRelease[]> = {
  options: (yargs) => yargs,
  examples: [
    ['ledger list', 'Every release, newest first'],
    ['ledger list -p gauges --json', 'Those of one package, for a program'],
  ],
  parse: () => null,
  run: async (_args, context) => {
    const { listReleases } = await import('../../flow/ledger-record/ledger.ts');
    return { result: await listReleases(context) };
  },
  render: renderLedger,
  toJson: ledgerJson,
};
