import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { Withdrawn, WithdrawOptions } from '../../flow/deliver/withdraw.ts';
import type { Screen } from './screen.ts';
import { beside, indented } from './wrap.ts';

/** What is about to be taken back, before the question. */
export function renderWithdrawal(
  { package: name, version, date }: LedgerRelease,
  { from, reason }: WithdrawOptions,
  screen: Screen,
): string {
  return [
    screen.colours.bold(cleanText(`About to withdraw ${name} ${version} from ${from}`)),
    '',
    `    released ${date.slice(0, 10)}`,
    beside('    reason   ', cleanText(reason), screen),
    '',
    '    The version number cannot be used again.',
    '',
  ].join('\n');
}

/** What consumers get now. */
function nowText({ destination, fallBackTo, pointers }: Pick<Withdrawn, 'destination' | 'fallBackTo' | 'pointers'>) {
  if (fallBackTo === null) return null;
  return pointers.length === 0
    ? `no pointer at ${destination} led to it: clients choose the highest version that is left`
    : `${pointers.join(', ')} at ${destination} ${pointers.length === 1 ? 'leads' : 'lead'} to ${fallBackTo} now`;
}

/** What was done, and what the protocol cannot do. */
export function renderWithdrawn(
  { package: name, version, destination, how, limits, deliveries, dryRun, fallBackTo, pointers, edited }: Withdrawn,
  screen: Screen,
): string {
  const title = cleanText(`${name} ${version} at ${destination}`);
  const files = deliveries.map(({ artifact, address }) => `    ${cleanText(artifact)}  ${cleanText(address ?? '')}`);
  if (dryRun) return [screen.colours.bold(`${title} would be withdrawn (dry run)`), '', ...files].join('\n');
  const editedText =
    edited === null
      ? null
      : `${cleanText(edited)} now says that this version is taken back: commit it. That takes effect with the next version`;
  const notes = [how, limits, nowText({ destination, fallBackTo, pointers }), editedText]
    .filter((text) => text !== null)
    .map((text) => indented(4, text, screen));
  return [screen.colours.bold(`${title} was withdrawn`), '', ...notes, '', ...files].join('\n');
}
