import type { Status } from '../../flow/ledger/status.ts';
import type { Command } from '../command.ts';
import { renderStatus } from '../view/status.ts';

/** `bevelstone` without a command. */
export const status: Command<null, Status> = {
  options: (yargs) => yargs,
  examples: [],
  parse: () => null,
  run: async (_args, context) => {
    const { readStatus } = await import('../../flow/ledger/status.ts');
    return { result: await readStatus(context) };
  },
  render: renderStatus,
  toJson: (result) => result,
};
