import type { ArtifactRecord, ReleaseRecord } from './release-record.ts';

type Common = {
  readonly id: string;
  /** Time in ISO 8601, UTC. */
  readonly at: string;
  readonly run: string;
  readonly package: string;
  readonly version: string;
};

/** One thing that happened to a release. Events are written once and never changed. */
export type LedgerEvent =
  | (Common & {
      readonly type: 'planned';
      readonly commit: string;
      readonly source: string;
      readonly tag: string;
      readonly artifacts: readonly ArtifactRecord[];
      readonly destinations: readonly string[];
      /** SHA-256 of the release's CONTENTS.json, which lies beside the event. */
      readonly contents: string;
      /** What other commands need of the release on machines that never built it. */
      readonly about?: ReleaseAbout;
    })
  | (Common & {
      readonly type: 'delivered';
      readonly destination: string;
      readonly artifact: string;
      readonly sha256: string;
      readonly address: string;
      readonly alreadyThere: boolean;
    })
  | (Common & {
      readonly type: 'confirmed';
      readonly destination: string;
      readonly artifact: string;
      readonly confirmed: 'bytes' | 'entries' | 'no';
      readonly why: string | null;
    })
  | (Common & {
      readonly type: 'promoted';
      readonly destination: string;
      readonly from: string;
      readonly artifact: string;
      readonly sha256: string;
      readonly address: string;
    })
  | (Common & {
      readonly type: 'withdrawn';
      readonly destination: string;
      /** What was done, in a word: deprecated, unlisted, deleted. */
      readonly how: string;
      readonly reason: string;
    })
  | (Common & {
      readonly type: 'pointed';
      readonly destination: string;
      readonly pointer: string;
      readonly from: string | null;
    })
  /** Its run was given up after the push: what was delivered until then stays. */
  | (Common & { readonly type: 'abandoned' })
  /** An artifact that nobody holds any more was built again, with other bytes than planned. */
  | (Common & { readonly type: 'replanned'; readonly artifact: ArtifactRecord });

/** A release as destinations know it. */
export type ReleaseAbout = Pick<
  ReleaseRecord,
  'name' | 'ecosystem' | 'folder' | 'spellings' | 'stream' | 'sourceTime' | 'needs'
>;

/** The same of a built release. */
export function aboutOf(record: ReleaseRecord): ReleaseAbout {
  const { name, ecosystem, folder, spellings, stream, sourceTime, needs } = record;
  return { name, ecosystem, folder, spellings, stream, sourceTime, needs };
}

/** An event before it gets its id, time and run. */
export type NewEvent = LedgerEvent extends infer One
  ? One extends LedgerEvent
    ? Omit<One, 'id' | 'at' | 'run'>
    : never
  : never;

/** A delivery as the ledger tells it. */
export type LedgerDelivery = {
  readonly destination: string;
  readonly artifact: string;
  readonly state: 'delivered' | 'already-there' | 'promoted' | 'withdrawn';
  readonly confirmed: 'bytes' | 'entries' | 'no';
  readonly address: string;
  readonly sha256: string;
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
};

/** That a release was taken back somewhere. */
export type Withdrawal = {
  readonly destination: string;
  readonly how: string;
  readonly reason: string;
  readonly at: string;
};

/** Folds events into releases, newest first. Order and repetition of the events change nothing. */
export function foldEvents(events: readonly LedgerEvent[]): LedgerRelease[] {
  const releases = new Map<string, LedgerRelease>();
  const sorted = [...events].sort((a, b) => (a.id < b.id ? -1 : a.id > b.id ? 1 : 0));
  for (const event of sorted) {
    if (event.type !== 'planned') continue;
    const key = keyOf(event);
    if (releases.has(key)) continue;
    const { commit, source, tag, at, artifacts, about, contents } = event;
    releases.set(key, {
      package: event.package,
      version: event.version,
      commit,
      tag,
      date: at,
      source,
      about: about ?? aboutFrom(event),
      contents,
      artifacts,
      deliveries: [],
      run: event.run,
      destinations: event.destinations,
      isAbandoned: false,
      withdrawals: [],
    });
  }
  for (const [key, release] of releases) {
    const own = sorted.filter((event) => keyOf(event) === key);
    releases.set(key, {
      ...release,
      artifacts: replannedArtifacts(release.artifacts, own),
      deliveries: deliveriesOf(own),
      isAbandoned: own.some(({ type }) => type === 'abandoned'),
      withdrawals: own.flatMap((event) => (event.type === 'withdrawn' ? [withdrawalOf(event)] : [])),
    });
  }
  return [...releases.values()].sort((a, b) => (a.date < b.date ? 1 : a.date > b.date ? -1 : 0));
}

function withdrawalOf({ destination, how, reason, at }: LedgerEvent & { type: 'withdrawn' }): Withdrawal {
  return { destination, how, reason, at };
}

/** Artifacts as planned, those that had to be built again in their new shape. */
function replannedArtifacts(planned: readonly ArtifactRecord[], events: readonly LedgerEvent[]): ArtifactRecord[] {
  const again = events.flatMap((event) => (event.type === 'replanned' ? [event.artifact] : []));
  return planned.map((one) => again.findLast(({ file }) => file === one.file) ?? one);
}

/** What can be said of a release that was planned before these fields were recorded. */
function aboutFrom({ package: name, version }: LedgerEvent): ReleaseAbout {
  const stream = { name: 'stable', type: 'stable', pointer: 'stable' };
  return { name, ecosystem: 'plain', folder: '', spellings: { semver: version }, stream, sourceTime: 0, needs: [] };
}

function deliveriesOf(events: readonly LedgerEvent[]): LedgerDelivery[] {
  const deliveries = new Map<string, LedgerDelivery>();
  for (const event of events) {
    if (event.type === 'withdrawn') {
      for (const [key, one] of deliveries)
        if (one.destination === event.destination) deliveries.set(key, { ...one, state: 'withdrawn' });
      continue;
    }
    if (event.type !== 'delivered' && event.type !== 'promoted') continue;
    const { destination, artifact, address, sha256 } = event;
    const key = `${destination}\n${artifact}`;
    // A repeated run finds what an earlier one sent: the first word on it stays.
    const before = deliveries.get(key);
    if (before !== undefined && before.state !== 'withdrawn') continue;
    const state = event.type === 'promoted' ? 'promoted' : event.alreadyThere ? 'already-there' : 'delivered';
    const confirmations = events.filter(
      (one) => one.type === 'confirmed' && one.destination === destination && one.artifact === artifact,
    );
    const confirmed = confirmations.map((one) => (one.type === 'confirmed' ? one.confirmed : 'no'));
    const best = confirmed.includes('bytes') ? 'bytes' : confirmed.includes('entries') ? 'entries' : 'no';
    deliveries.set(key, { destination, artifact, state, confirmed: best, address, sha256 });
  }
  return [...deliveries.values()];
}

function keyOf(event: { readonly package: string; readonly version: string }): string {
  return `${event.package}@${event.version}`;
}
