import type { ArtifactRecord, ReleaseRecord } from './release-record.ts';

type Common = {
  /** Follows from everything else in the event (`eventId`). */
  readonly id: string;
  /** Time in ISO 8601, UTC. */
  readonly at: string;
  readonly run: string;
  /** Place among the events of its run. */
  readonly seq: number;
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
      readonly about: ReleaseAbout;
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
  /** Why it was released, and why with this version; with the reason that a person gave. */
  | (Common & { readonly type: 'explained'; readonly reasons: readonly string[] })
  /** Its run was resumed with another address for a destination. */
  | (Common & {
      readonly type: 'redirected';
      readonly destination: string;
      readonly from: string;
      readonly to: string;
    })
  /** It was unpacked on a target, or the target returned to it. */
  | (Common & {
      readonly type: 'deployed';
      /** Name of the deployment in the configuration. */
      readonly deployment: string;
      /** Where that is, for people. */
      readonly target: string;
      /** Names the release's folder there. */
      readonly deployed: string;
      readonly artifact: string;
      readonly sha256: string;
      /** Who did it, as git knows them. */
      readonly by: string;
      /** `returned`: it had been there before. */
      readonly result: 'deployed' | 'returned' | 'failed';
      /** The version that it replaced; null for the first. */
      readonly replaced: string | null;
    })
  /** An archive was made with only some of its changes, to be put on top of this release. */
  | (Common & {
      readonly type: 'partial';
      readonly file: string;
      readonly sha256: string;
      /** In bytes. */
      readonly size: number;
      /** The commit that it was built from. */
      readonly commit: string;
      /** How many entries it has, and how many it removes. */
      readonly entries: number;
      readonly removed: number;
      readonly issues: readonly string[];
    })
  /** Its run was given up after the push: what was delivered until then stays. */
  | (Common & { readonly type: 'abandoned' })
  /** An artifact that no longer existed was rebuilt with different bytes than planned. */
  | (Common & { readonly type: 'replanned'; readonly artifact: ArtifactRecord });

/** The event that says what a release consists of. */
export type PlannedEvent = Extract<LedgerEvent, { readonly type: 'planned' }>;

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
    ? Omit<One, 'id' | 'at' | 'run' | 'seq'>
    : never
  : never;

/**
 * The event with its free texts replaced: what a person or a server wrote may hold a secret. Everything else follows a grammar
 * that must not be changed afterwards.
 * @param safe gives the text without secrets, at most 4,000 characters.
 */
export function withSafeTexts<Event extends NewEvent | LedgerEvent>(
  event: Event,
  safe: (text: string) => string,
): Event {
  if (event.type === 'withdrawn') return { ...event, reason: safe(event.reason) };
  if (event.type === 'explained') return { ...event, reasons: event.reasons.map(safe) };
  if (event.type === 'confirmed' && event.why !== null) return { ...event, why: safe(event.why) };
  return event;
}
