import path from 'node:path';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { aboutOf, type PlannedEvent } from '../../core/record/event.ts';
import { planDigest } from '../../core/record/event-id.ts';
import type { ArtifactRecord } from '../../core/record/release-record.ts';
import { readText } from '../../world/files.ts';
import { contentsFile, type EventSink } from '../ledger-record/ledger-writer.ts';
import type { ReleaseFolder } from '../release-folder/built-release.ts';
import { contentsTextIn } from '../release-folder/built-release.ts';
import type { Delivery, Shipment } from './deliver.ts';

/** One release with its deliveries. */
export type PublishedRelease = {
  readonly package: string;
  readonly version: string;
  readonly tag: string;
  readonly commit: string;
  readonly source: string;
  readonly deliveries: readonly Delivery[];
};

/** Releases with what became of their shipments. */
export function publishedOf(
  releases: readonly ReleaseFolder[],
  shipments: readonly Shipment[],
  deliveriesOf: (shipment: Shipment) => readonly Delivery[],
): PublishedRelease[] {
  return releases.map(({ record: { package: name, version, tag, commit, source } }) => ({
    package: name,
    version,
    tag,
    commit,
    source,
    deliveries: shipments.filter(({ release }) => release.record.package === name).flatMap(deliveriesOf),
  }));
}

/** Whether the ledger already holds this very delivery, confirmed. */
export function isRecorded(
  { release, destination }: Shipment,
  artifact: ArtifactRecord,
  known: readonly LedgerRelease[],
): boolean {
  const { package: name, version } = release.record;
  const deliveries = known.find((release) => release.package === name && release.version === version)?.deliveries ?? [];
  return deliveries.some(
    (delivery) =>
      delivery.destination === destination.name &&
      delivery.artifact === artifact.file &&
      delivery.confirmed === 'bytes',
  );
}

/** What a release consists of, as the ledger and its tag have it. */
export type ReleasePlan = {
  readonly event: Omit<PlannedEvent, 'id' | 'at' | 'run' | 'seq'>;
  /** Name and text of the contents list that lies beside the event. */
  readonly contents: { readonly name: string; readonly text: string };
};

/** The plan of a release: the same as long as its files and destinations are the same. */
export async function planOf({ folder, record }: ReleaseFolder, destinations: readonly string[]): Promise<ReleasePlan> {
  const { package: name, version, commit, source, tag, artifacts, sboms } = record;
  const text = await contentsTextIn(folder);
  const contents = contentsFile(text);
  const event = {
    type: 'planned',
    package: name,
    version,
    commit,
    source,
    tag,
    artifacts: [...artifacts, ...sboms],
    destinations,
    contents: contents.sha256,
    about: aboutOf(record),
  } as const;
  return { event, contents: { name: contents.name, text } };
}

/** Plans a release in the ledger, with its contents list beside: from then on any clone can finish it. */
export function planInLedger({ event, contents }: ReleasePlan, reasons: readonly string[], sink: EventSink): void {
  sink.add(event, { [contents.name]: contents.text });
  const { package: name, version } = event;
  if (reasons.length > 0) sink.add({ type: 'explained', package: name, version, reasons });
}

/** What a tag says: the release, its notes, the run that made it, and the digest of its plan, for which the tag vouches. */
export async function tagMessage({ folder, record }: ReleaseFolder, plan: ReleasePlan, mark: string): Promise<string> {
  const notes = (await readText(path.join(folder, 'NOTES.md'))).replace(/^## .*\n+/, '').trim();
  const text = notes === '' ? record.reasons.join('\n') : notes;
  const marks = `Bevelstone-Run: ${mark}\nBevelstone-Plan: ${planDigest(plan.event)}\n`;
  return `${record.package} ${record.version}\n\n${text}\n\n${marks}`;
}
