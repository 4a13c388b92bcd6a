import type { Withdrawn, WithdrawOptions } from '../../flow/deliver/withdraw.ts';
import { type Command, optionalText } from '../command.ts';
import { movedJson } from '../view/promote.ts';
import { renderWithdrawal, renderWithdrawn } from '../view/withdraw.ts';

/** `bevelstone withdraw`. */
export const withdraw: Command<WithdrawOptions, Withdrawn> = {
  options: (yargs) =>
    yargs
      .positional('release', { type: 'string', demandOption: true, describe: 'PACKAGE@VERSION' })
      .option('from', { type: 'string', demandOption: true, describe: 'Destination that has it' })
      .option('reason', {
        type: 'string',
        demandOption: true,
        describe: 'Why; shown to users if the protocol supports it',
      })
      .option('erase', { type: 'boolean', describe: 'Delete it where the destination allows, instead of marking it' })
      .option('fall-back-to', {
        type: 'string',
        describe: 'Move pointers such as latest to this version, or to the `previous` one',
      })
      .option('yes', { alias: 'y', type: 'boolean', describe: 'Do not ask' })
      .option('dry-run', { type: 'boolean', describe: 'Show what would be withdrawn, and stop' }),
  examples: [
    [
      'withdraw tidemark@1.4.0 --from office --reason "Low water an hour late; use 1.4.1"',
      'Deprecate, unlist, yank or delete',
    ],
    ['withdraw tidemark@1.4.0 --from office --reason "Wrong units" --fall-back-to previous', 'And move `latest` back'],
  ],
  parse: (raw) => ({
    release: String(raw['release']),
    from: String(raw['from']),
    reason: String(raw['reason']),
    erase: raw['erase'] === true,
    dryRun: raw['dryRun'] === true,
    fallBackTo: optionalText(raw, 'fallBackTo'),
  }),
  run: async (options, context, { ask, screen }) => {
    const flow = await import('../../flow/deliver/withdraw.ts');
    const result = await flow.withdrawRelease(context, options, (release) =>
      ask({
        shown: renderWithdrawal(release, options, screen),
        question: `Withdraw it from ${options.from}?`,
      }),
    );
    return { result };
  },
  render: renderWithdrawn,
  toJson: movedJson,
};
