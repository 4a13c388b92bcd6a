import { cleanText } from '../../core/text/clean.ts';
import type { Delivery } from '../../flow/deliver/deliver.ts';
import { blank, type Mark, type Screen, signText } from './screen.ts';
import { pathColumn, renderTable } from './table.ts';

/** A release, as far as its deliveries are concerned. */
export type DeliveredRelease = {
  readonly package: string;
  readonly version: string;
  readonly deliveries: readonly Delivery[];
};

const states: Readonly<Record<Delivery['state'], readonly [Mark, string]>> = {
  delivered: ['done', 'delivered'],
  'already-there': ['nothing', 'already there'],
  promoted: ['done', 'promoted'],
  withdrawn: ['done', 'withdrawn'],
  failed: ['refused', 'failed'],
  pending: ['nothing', 'pending'],
};

/** What came of the deliveries: one line per release, or each delivery with its address when more is asked for. */
export function renderDeliveries(releases: readonly DeliveredRelease[], screen: Screen): string {
  return screen.isVerbose ? eachDelivery(releases, screen) : summary(releases, screen);
}

function summary(releases: readonly DeliveredRelease[], screen: Screen): string {
  const rows = releases.map(({ package: name, version, deliveries }) => [
    name,
    version,
    String(unique(deliveries.map(({ artifact }) => artifact)).length),
    unique(deliveries.map(({ destination }) => destination)).join(', ') || blank(screen),
    stateText(deliveries, screen),
  ]);
  const columns = ['package', 'version', 'artifacts', 'destinations', 'state'];
  return renderTable({ columns, rows, screen });
}

/** All delivered, or the deliveries that are not. */
function stateText(deliveries: readonly Delivery[], screen: Screen): string {
  if (deliveries.length === 0) return `${signText('nothing', screen)} no destination`;
  const open = deliveries.filter(({ state, isUnconfirmed }) => !isGood(state) || isUnconfirmed);
  if (open.length === 0) {
    const [same, ...others] = unique(deliveries.map(({ state }) => state));
    const word = others.length === 0 && same !== undefined ? states[same][1] : 'delivered';
    return `${signText(word === 'already there' ? 'nothing' : 'done', screen)} all ${word}`;
  }
  const word = ({ state, isUnconfirmed }: Delivery) =>
    isGood(state) && isUnconfirmed ? 'unconfirmed' : states[state][1];
  const parts = unique(open.map(word)).map((text) => {
    const own = open.filter((delivery) => word(delivery) === text);
    return `${text}: ${unique(own.map(({ destination }) => destination)).join(', ')}`;
  });
  const mark = open.some(({ state }) => state === 'failed') ? 'refused' : 'warning';
  return `${signText(mark, screen)} ${deliveries.length - open.length} of ${deliveries.length}, ${parts.join('; ')}`;
}

function isGood(state: Delivery['state']): boolean {
  return state !== 'failed' && state !== 'pending';
}

function eachDelivery(releases: readonly DeliveredRelease[], screen: Screen): string {
  const rows = releases.flatMap(({ package: name, version, deliveries }) =>
    deliveries.map(({ artifact, destination, state, confirmed }) => [
      `${signText(states[state][0], screen)} ${states[state][1]}`,
      `${name} ${version}`,
      artifact,
      destination,
      confirmed === 'no' ? blank(screen) : `same ${confirmed}`,
    ]),
  );
  const columns = ['', 'release', pathColumn('artifact'), 'to', 'downloaded again'];
  const addresses = releases.flatMap(({ deliveries }) =>
    deliveries.flatMap(({ address }) => (address === null ? [] : [`  ${cleanText(address)}`])),
  );
  return [renderTable({ columns, rows, screen }), ...(addresses.length === 0 ? [] : ['', ...addresses])].join('\n');
}

function unique<Value>(values: readonly Value[]): Value[] {
  return [...new Set(values)];
}
