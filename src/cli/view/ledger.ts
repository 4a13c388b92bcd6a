import type { LedgerRelease } from '../../core/ledger/fold.ts';
import type { Screen } from './screen.ts';
import { numberColumn, renderTable } from './table.ts';

/** One line per release, newest first. */
export function renderLedger(releases: readonly LedgerRelease[], screen: Screen): string {
  if (releases.length === 0) return 'The ledger is empty: nothing was released yet';
  const rows = releases.map(({ date, package: name, version, commit, artifacts, deliveries, withdrawals }) => [
    `${date.slice(0, 10)} ${date.slice(11, 16)}`,
    name,
    version,
    commit.slice(0, 7),
    String(artifacts.length),
    [...new Set(deliveries.map((delivery) => placeText(delivery, withdrawals)))].join(', ') || 'nowhere yet',
  ]);
  const columns = ['when (UTC)', 'package', 'version', 'commit', numberColumn('artifacts'), 'delivered to'];
  return renderTable({ columns, rows, screen });
}

function placeText(
  { destination, confirmed, state }: LedgerRelease['deliveries'][number],
  withdrawals: LedgerRelease['withdrawals'],
): string {
  if (state === 'withdrawn')
    return `${destination} (${withdrawals.findLast((one) => one.destination === destination)?.how ?? 'withdrawn'})`;
  return `${destination}${confirmed === 'no' ? ' (unconfirmed)' : ''}`;
}

/** The `result` of `ledger list --json`. */
export function ledgerJson(releases: readonly LedgerRelease[]): unknown {
  return { releases };
}
