import { formatBytes } from '../../core/text/bytes.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { Delivery, Shipment } from '../../flow/deliver/deliver.ts';
import type { PromoteOptions, Promotion } from '../../flow/deliver/promote.ts';
import { renderDeliveries } from './deliveries.ts';
import type { Screen } from './screen.ts';
import { pathColumn, renderTable } from './table.ts';

/** What is about to be copied, before the question. */
export function renderPromotionPlan(
  { release, deliveries, destination }: Shipment,
  { from }: PromoteOptions,
  screen: Screen,
): string {
  const { package: name, version } = release.record;
  const rows = deliveries.map(({ artifact, presence }) => [
    artifact.file,
    formatBytes(artifact.size),
    presence?.type === 'same' ? 'already there' : 'will be copied',
  ]);
  const head = `About to promote ${name} ${version} from ${from} to ${destination.name} (${destination.url})`;
  return [
    screen.colours.bold(cleanText(head)),
    '',
    renderTable({ columns: [pathColumn('artifact'), 'size', ''], rows, screen }),
    '',
  ].join('\n');
}

/** What came of it. */
export function renderPromotion(
  { package: name, version, deliveries, dryRun, from, to }: Promotion,
  screen: Screen,
): string {
  const head = dryRun ? 'Dry run: nothing was copied' : `From ${cleanText(from)} to ${cleanText(to)}`;
  return [screen.colours.bold(head), '', renderDeliveries([{ package: name, version, deliveries }], screen)].join('\n');
}

/** The `result` of `promote --json` and `withdraw --json`. */
export function movedJson<
  Result extends { readonly package: string; readonly version: string; readonly deliveries: readonly Delivery[] },
>({ package: name, version, deliveries, ...rest }: Result): unknown {
  const { error: _, ...more } = { error: null, ...rest };
  return { package: name, version, deliveries, ...more };
}
