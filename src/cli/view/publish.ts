import { formatBytes } from '../../core/text/bytes.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { Delivery } from '../../flow/deliver/deliver.ts';
import type { Publication } from '../../flow/deliver/publish.ts';
import type { PublishPlan } from '../../flow/deliver/publish-plan.ts';
import { blank, type Mark, type Screen, signText } from './screen.ts';
import { renderTable } from './table.ts';

/** What is about to leave this machine, before the question. */
export function renderPlan({ shipments, tagsToPush, remote }: PublishPlan, screen: Screen): string {
  const planned = shipments.flatMap(({ deliveries, ...shipment }) =>
    deliveries.map((one) => ({ ...shipment, ...one })),
  );
  const rows = planned.map(({ release, artifact, destination, presence }) => [
    `${release.record.package} ${release.record.version}`,
    artifact.file,
    formatBytes(artifact.size),
    destination.name,
    presence === null ? 'cannot be asked' : presence.type === 'same' ? 'already there' : 'will be sent',
  ]);
  const columns = ['release', 'artifact', 'size', 'to', ''].map((title) => ({ title }));
  const places = [...new Map(shipments.map(({ destination }) => [destination.name, destination.url]))];
  const lines = places.map(([name, url]) => `    ${cleanText(name)} is ${cleanText(url)}`);
  const tags =
    tagsToPush.length === 0
      ? []
      : [`    first ${tagsToPush.map(cleanText).join(', ')} will be tagged and pushed to ${cleanText(remote ?? '')}`];
  return [
    screen.colours.bold('About to deliver'),
    '',
    renderTable({ columns, rows, screen }),
    '',
    ...lines,
    ...tags,
    '',
  ].join('\n');
}

const states: Readonly<Record<Delivery['state'], readonly [Mark, string]>> = {
  delivered: ['done', 'delivered'],
  'already-there': ['nothing', 'already there'],
  promoted: ['done', 'promoted'],
  withdrawn: ['done', 'withdrawn'],
  failed: ['refused', 'failed'],
  pending: ['nothing', 'pending'],
};

/** What came of each delivery; addresses are the last lines. */
export function renderPublication({ releases, dryRun }: Publication, screen: Screen): string {
  const deliveries = releases.flatMap(({ package: name, version, deliveries }) =>
    deliveries.map((delivery) => ({ name, version, ...delivery })),
  );
  return deliveryTable(dryRun ? 'Nothing was sent: this is a dry run' : 'Deliveries', deliveries, screen);
}

/** Deliveries one below the other, and their addresses. */
export function deliveryTable(
  head: string,
  deliveries: readonly (Delivery & { readonly name: string; readonly version: string })[],
  screen: Screen,
): string {
  const rows = deliveries.map(({ name, version, artifact, destination, state, confirmed }) => [
    `${signText(states[state][0], screen)} ${states[state][1]}`,
    `${name} ${version}`,
    artifact,
    destination,
    confirmed === 'no' ? blank(screen) : `same ${confirmed}`,
  ]);
  const columns = ['', 'release', 'artifact', 'to', 'came back'].map((title) => ({ title }));
  const addresses = deliveries.flatMap(({ address }) => (address === null ? [] : [`  ${cleanText(address)}`]));
  return [screen.colours.bold(head), '', renderTable({ columns, rows, screen }), '', ...addresses].join('\n');
}

/** The `result` of `publish --json`. */
export function publicationJson({ run, releases }: Publication): unknown {
  return { run: run === '' ? null : run, releases };
}
