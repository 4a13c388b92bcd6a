import type { ShownRelease } from '../../flow/ledger/ledger-show.ts';
import { type Command, optionalText } from '../command.ts';
import { renderShown, shownJson } from '../view/ledger-show.ts';

type Arguments = { readonly release: string; readonly against: string | null; readonly card: string | null };

/** `bevelstone ledger show PACKAGE@VERSION`. */
export const ledgerShow: Command<Arguments, ShownRelease & { readonly page: string | null }> = {
  options: (yargs) =>
    yargs
      .positional('release', { type: 'string', describe: 'PACKAGE@VERSION, or a package for its newest release' })
      .option('against', { type: 'string', describe: 'Compare with this release of the package' })
      .option('card', { type: 'string', describe: 'Write the release card to this file, as HTML' }),
  examples: [
    ['ledger show tidemark@1.4.0', 'Everything recorded about a release'],
    ['ledger show tidemark --against tidemark@1.3.2', 'The differences between two releases'],
    ['ledger show tidemark@1.4.0 --card card.html', 'The same as an HTML page'],
  ],
  parse: (raw) => ({
    release: optionalText(raw, 'release') ?? '',
    against: optionalText(raw, 'against'),
    card: optionalText(raw, 'card'),
  }),
  run: async ({ release, against, card }, context) => {
    const { showRelease } = await import('../../flow/ledger/ledger-show.ts');
    const shown = await showRelease(context, release, against);
    if (card === null) return { result: { ...shown, page: null } };
    const { writeLedgerCard } = await import('../../flow/ledger/release-page.ts');
    return { result: { ...shown, page: await writeLedgerCard(context, { releases: [shown], file: card }) } };
  },
  render: renderShown,
  toJson: shownJson,
};
