import type { LedgerEvent, PlannedEvent, ReleaseAbout } from '../record/event.ts';
import { planDigest } from '../record/event-id.ts';
import type { ArtifactRecord } from '../record/release-record.ts';

/** A delivery as the ledger tells it. */
export type LedgerDelivery = {
  readonly destination: string;
  readonly artifact: string;
  readonly state: 'delivered' | 'already-there' | 'promoted' | 'withdrawn';
  readonly confirmed: 'bytes' | 'entries' | 'no';
  readonly address: string;
  readonly sha256: string;
  /** Whether two events give it different addresses; then neither is used. */
  readonly isContradicted: boolean;
};

/** A release as the ledger tells it. */
export type LedgerRelease = {
  readonly package: string;
  readonly version: string;
  readonly commit: string;
  readonly tag: string;
  /** When it was first planned: ISO 8601, UTC. */
  readonly date: string;
  readonly source: string;
  readonly about: ReleaseAbout;
  /** SHA-256 of its CONTENTS.json. */
  readonly contents: string;
  readonly artifacts: readonly ArtifactRecord[];
  readonly deliveries: readonly LedgerDelivery[];
  /** The run that planned it. */
  readonly run: string;
  /** Destinations that it was planned for. */
  readonly destinations: readonly string[];
  /** Whether its run was given up half-way. */
  readonly isAbandoned: boolean;
  readonly withdrawals: readonly Withdrawal[];
  /** Oldest first. */
  readonly deployments: readonly LedgerDeployment[];
  /** Archives made to be put on top of it, oldest first. */
  readonly partials: readonly LedgerPartial[];
  /** Why it was released with this version; empty where nothing was recorded. */
  readonly reasons: readonly string[];
  /** Destinations whose address was changed while the release was under way. */
  readonly redirects: readonly Redirect[];
  /** Whether its tag names the digest of this plan: then it was not forged by someone who can only write to the ledger. */
  readonly isVouched: boolean;
  /** Files that were built again with other bytes than planned, for which no tag vouches. */
  readonly replanned: readonly string[];
  /** Artifacts as they were planned. */
  readonly planned: readonly ArtifactRecord[];
};

/** That a release was put onto a target, or that the target returned to it. */
export type LedgerDeployment = Pick<
  Extract<LedgerEvent, { readonly type: 'deployed' }>,
  'deployment' | 'target' | 'deployed' | 'artifact' | 'sha256' | 'by' | 'result' | 'replaced' | 'at'
>;

/** An archive with only some changes, made to be put on top of a release. */
export type LedgerPartial = Pick<
  Extract<LedgerEvent, { readonly type: 'partial' }>,
  'file' | 'sha256' | 'size' | 'commit' | 'entries' | 'removed' | 'issues' | 'at'
>;

/** That the rest of a release went to another address of a destination. */
export type Redirect = {
  readonly destination: string;
  readonly from: string;
  readonly to: string;
  readonly at: string;
};

/** That a release was taken back somewhere. */
export type Withdrawal = {
  readonly destination: string;
  readonly how: string;
  readonly reason: string;
  readonly at: string;
};

/** What a tag of this clone says: the commit it peels to, and the digest of the plan that it names; null when it names none. */
export type TagAnchor = { readonly commit: string; readonly plan: string | null };

/** Tags by their names. */
export type TagAnchors = ReadonlyMap<string, TagAnchor>;

/** Releases, newest first, and what in the events contradicts them: one sentence each. */
export type FoldedLedger = { readonly releases: readonly LedgerRelease[]; readonly damage: readonly string[] };

/**
 * Folds events into releases. Order and repetition of the events change nothing. What a tag vouches for counts before
 * everything else; an event that contradicts it, or an earlier one, is damage and never an override.
 */
export function foldEvents(events: readonly LedgerEvent[], anchors: TagAnchors): FoldedLedger {
  const byRelease = new Map<string, Map<string, LedgerEvent>>();
  for (const event of events) {
    const key = `${event.package}@${event.version}`;
    const own = byRelease.get(key) ?? new Map<string, LedgerEvent>();
    byRelease.set(key, own.set(event.id, event));
  }
  const damage: string[] = [];
  const releases = [...byRelease].flatMap(([key, own]) => {
    const sorted = [...own.values()].sort((a, b) => (a.id < b.id ? -1 : a.id > b.id ? 1 : 0));
    return foldRelease({ key, events: sorted, anchors, damage }) ?? [];
  });
  releases.sort((a, b) => (a.date < b.date ? 1 : a.date > b.date ? -1 : 0));
  return { releases, damage };
}

function foldRelease({
  key,
  events,
  anchors,
  damage,
}: {
  readonly key: string;
  readonly events: readonly LedgerEvent[];
  readonly anchors: TagAnchors;
  readonly damage: string[];
}): LedgerRelease | null {
  const plans = events.filter((event): event is PlannedEvent => event.type === 'planned');
  const vouched = plans.find((plan) => isVouchedBy(plan, anchors)) ?? null;
  const chosen = vouched ?? plans[0];
  if (chosen === undefined) return null;
  if (plans.length > 1 && new Set(plans.map(planDigest)).size > 1)
    damage.push(
      `${key}: the ledger has several plans${vouched === null ? ', and no tag says which is true' : '; the one that the tag names counts'}`,
    );
  const artifacts = replannedArtifacts(chosen.artifacts, events);
  const fits = deliveriesThatFit({ key, artifacts, planned: chosen.artifacts, events, damage });
  const { package: name, version, commit, source, tag, at, run, about, contents, destinations } = chosen;
  return {
    package: name,
    version,
    commit,
    source,
    tag,
    date: at,
    about,
    contents,
    run,
    destinations,
    artifacts,
    deliveries: deliveriesOf(key, fits, damage),
    isAbandoned: events.some(({ type }) => type === 'abandoned'),
    withdrawals: events.flatMap((event) => (event.type === 'withdrawn' ? [withdrawalOf(event)] : [])),
    reasons: events.find((event) => event.type === 'explained')?.reasons ?? [],
    deployments: deploymentsOf(events),
    partials: partialsOf(events),
    redirects: events.flatMap((event) => (event.type === 'redirected' ? [redirectOf(event)] : [])),
    isVouched: vouched !== null,
    planned: chosen.artifacts,
    replanned: artifacts.filter((artifact) => !chosen.artifacts.includes(artifact)).map(({ file }) => file),
  };
}

function isVouchedBy(plan: PlannedEvent, anchors: TagAnchors): boolean {
  const anchor = anchors.get(plan.tag);
  return anchor !== undefined && anchor.commit === plan.commit && anchor.plan === planDigest(plan);
}

function redirectOf({ destination, from, to, at }: LedgerEvent & { type: 'redirected' }): Redirect {
  return { destination, from, to, at };
}

/** A deployment that was resumed after its event was written says the same again; a target can return to it several times. */
function deploymentsOf(events: readonly LedgerEvent[]): LedgerDeployment[] {
  const all = events.flatMap((event) => (event.type === 'deployed' ? [deploymentOf(event)] : []));
  return all.filter(
    ({ deployed, result }, index) =>
      result === 'returned' ||
      !all.slice(0, index).some((other) => other.deployed === deployed && other.result === result),
  );
}

function partialsOf(events: readonly LedgerEvent[]): LedgerPartial[] {
  return events.flatMap((event) => {
    if (event.type !== 'partial') return [];
    const { file, sha256, size, commit, entries, removed, issues, at } = event;
    return [{ file, sha256, size, commit, entries, removed, issues, at }];
  });
}

function deploymentOf(event: LedgerEvent & { type: 'deployed' }): LedgerDeployment {
  const { deployment, target, deployed, artifact, sha256, by, result, replaced, at } = event;
  return { deployment, target, deployed, artifact, sha256, by, result, replaced, at };
}

function withdrawalOf({ destination, how, reason, at }: LedgerEvent & { type: 'withdrawn' }): Withdrawal {
  return { destination, how, reason, at };
}

/** Artifacts as planned, those that had to be built again in their new shape. */
function replannedArtifacts(planned: readonly ArtifactRecord[], events: readonly LedgerEvent[]): ArtifactRecord[] {
  const again = events.flatMap((event) => (event.type === 'replanned' ? [event.artifact] : []));
  return planned.map((artifact) => again.findLast(({ file }) => file === artifact.file) ?? artifact);
}

/** Without deliveries of files that the release does not have, or of other bytes. */
function deliveriesThatFit({
  key,
  artifacts,
  planned,
  events,
  damage,
}: {
  readonly key: string;
  readonly artifacts: readonly ArtifactRecord[];
  readonly planned: readonly ArtifactRecord[];
  readonly events: readonly LedgerEvent[];
  readonly damage: string[];
}): LedgerEvent[] {
  const known = new Set([...artifacts, ...planned].map(({ file, sha256 }) => `${file}\n${sha256}`));
  return events.filter((event) => {
    if (event.type !== 'delivered' && event.type !== 'promoted') return true;
    if (known.has(`${event.artifact}\n${event.sha256}`)) return true;
    damage.push(`${key}: a delivery of ${event.artifact} to ${event.destination} does not fit the plan`);
    return false;
  });
}

function deliveriesOf(key: string, events: readonly LedgerEvent[], damage: string[]): LedgerDelivery[] {
  const deliveries = new Map<string, LedgerDelivery>();
  const best = bestConfirmations(events);
  for (const event of events) {
    if (event.type === 'withdrawn') {
      for (const [place, delivery] of deliveries)
        if (delivery.destination === event.destination) deliveries.set(place, { ...delivery, state: 'withdrawn' });
      continue;
    }
    if (event.type !== 'delivered' && event.type !== 'promoted') continue;
    const { destination, artifact, address, sha256 } = event;
    const place = `${destination}\n${artifact}`;
    const before = deliveries.get(place);
    // A repeated run finds what an earlier one sent: the first word on it stays.
    if (before !== undefined && before.state !== 'withdrawn') {
      if (before.address === address || before.isContradicted) continue;
      damage.push(`${key}: the ledger gives two addresses for ${artifact} at ${destination}`);
      deliveries.set(place, { ...before, isContradicted: true });
      continue;
    }
    const state = event.type === 'promoted' ? 'promoted' : event.alreadyThere ? 'already-there' : 'delivered';
    const confirmed = best.get(place) ?? 'no';
    deliveries.set(place, { destination, artifact, state, confirmed, address, sha256, isContradicted: false });
  }
  return [...deliveries.values()];
}

const confirmationOrder = ['no', 'entries', 'bytes'] as const;

function bestConfirmations(events: readonly LedgerEvent[]): Map<string, LedgerDelivery['confirmed']> {
  const best = new Map<string, LedgerDelivery['confirmed']>();
  for (const event of events) {
    if (event.type !== 'confirmed') continue;
    const place = `${event.destination}\n${event.artifact}`;
    const before = best.get(place) ?? 'no';
    if (confirmationOrder.indexOf(event.confirmed) > confirmationOrder.indexOf(before))
      best.set(place, event.confirmed);
  }
  return best;
}
