import type { PromoteOptions, Promotion } from '../../flow/deliver/promote.ts';
import type { Command } from '../command.ts';
import { movedJson, renderPromotion, renderPromotionPlan } from '../view/promote.ts';

/** `bevelstone promote`. */
export const promote: Command<PromoteOptions, Promotion> = {
  options: (yargs) =>
    yargs
      .positional('release', { type: 'string', demandOption: true, describe: 'PACKAGE@VERSION' })
      .option('from', { type: 'string', demandOption: true, describe: 'Destination that has it' })
      .option('to', { type: 'string', demandOption: true, describe: 'Destination that gets it' })
      .option('yes', { alias: 'y', type: 'boolean', describe: 'Do not ask' })
      .option('dry-run', { type: 'boolean', describe: 'Download and compare, and stop' }),
  examples: [
    ['promote tidemark@1.4.0 --from testing --to public', 'Publish exactly the bytes that were tested'],
    ['promote tidemark@1.4.0 --from testing --to public --dry-run', 'Check whether the destination would accept them'],
  ],
  parse: (raw) => ({
    release: String(raw['release']),
    from: String(raw['from']),
    to: String(raw['to']),
    dryRun: raw['dryRun'] === true,
  }),
  run: async (options, context, { ask, screen }) => {
    const flow = await import('../../flow/deliver/promote.ts');
    const result = await flow.promoteRelease(context, options, (shipment) =>
      ask({
        shown: renderPromotionPlan(shipment, options, screen),
        question: `Promote it to ${options.to}?`,
      }),
    );
    return { result, error: result.error };
  },
  render: renderPromotion,
  toJson: movedJson,
};
