import { formatBytes } from '../../core/text/bytes.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { Publication } from '../../flow/deliver/publish.ts';
import type { PublishPlan } from '../../flow/deliver/publish-plan.ts';
import { renderDeliveries } from './deliveries.ts';
import type { Screen } from './screen.ts';
import { pathColumn, renderTable } from './table.ts';
import { indented } from './wrap.ts';

/** What is about to leave this machine, before the question. */
export function renderPlan({ shipments, tagsToPush, remote }: PublishPlan, screen: Screen): string {
  const planned = shipments.flatMap(({ deliveries, ...shipment }) =>
    deliveries.map((delivery) => ({ ...shipment, ...delivery })),
  );
  const rows = planned.map(({ release, artifact, destination, presence }) => [
    `${release.record.package} ${release.record.version}`,
    artifact.file,
    formatBytes(artifact.size),
    destination.name,
    presence === null ? 'not checked' : presence.type === 'same' ? 'already there' : 'will be uploaded',
  ]);
  const columns = ['release', pathColumn('artifact'), 'size', 'to', ''];
  const places = [...new Map(shipments.map(({ destination }) => [destination.name, destination.url]))];
  const lines = places.map(([name, url]) => `    ${cleanText(name)} is ${cleanText(url)}`);
  const tags =
    tagsToPush.length === 0
      ? []
      : [
          indented(
            4,
            `first ${tagsToPush.map(cleanText).join(', ')} will be tagged and pushed to ${cleanText(remote ?? '')}`,
            screen,
          ),
        ];
  return [
    screen.colours.bold('About to upload'),
    '',
    renderTable({ columns, rows, screen }),
    '',
    ...lines,
    ...tags,
    '',
  ].join('\n');
}

/** What came of the deliveries. */
export function renderPublication({ releases, dryRun }: Publication, screen: Screen): string {
  const head = dryRun ? 'Dry run: nothing was uploaded' : 'Deliveries';
  return [screen.colours.bold(head), '', renderDeliveries(releases, screen)].join('\n');
}

/** The `result` of `publish --json`. */
export function publicationJson({ run, releases }: Publication): unknown {
  return { run: run === '' ? null : run, releases };
}
