import type { TagAnchors } from '../../src/core/ledger/fold.ts';
import type { LedgerEvent, NewEvent, PlannedEvent } from '../../src/core/record/event.ts';
import { makeEvent, planDigest } from '../../src/core/record/event-id.ts';
import type { ArtifactRecord, ReleaseRecord } from '../../src/core/record/release-record.ts';

/** The record of a file whose digests are all made of one hexadecimal digit. */
export function artifactRecord(file: string, digit = 'a'): ArtifactRecord {
  return {
    file,
    form: 'npm-tarball',
    platform: null,
    size: 10,
    sha256: digit.repeat(64),
    sha512: digit.repeat(128),
    sha1: digit.repeat(40),
    contentDigest: digit.repeat(64),
    entries: 1,
  };
}

/** An event as it comes from a run, at a second of its own. */
export function ledgerEvent(event: Record<string, unknown>, second = 0): LedgerEvent {
  const whole = { package: 'tidemark', version: '1.4.0', ...event } as unknown as NewEvent;
  const at = new Date(Date.UTC(2026, 10, 23, 8, 0, second)).toISOString();
  return makeEvent(whole, { at, run: '20261123-080000-0123abcd', seq: second });
}

/** A plan of tidemark 1.4.0 with two files. */
export function plannedEvent(more: Record<string, unknown> = {}, second = 0): PlannedEvent {
  const plan = {
    type: 'planned',
    commit: 'c'.repeat(40),
    source: 'c'.repeat(40),
    tag: 'tidemark/1.4.0',
    artifacts: [artifactRecord('a.tgz'), artifactRecord('b.tgz', 'b')],
    destinations: ['office', 'shelf'],
    contents: '0'.repeat(64),
    about: {
      name: 'tidemark',
      ecosystem: 'node',
      folder: '.',
      spellings: { semver: '1.4.0' },
      stream: { name: 'stable', type: 'stable', pointer: 'stable' },
      sourceTime: 1,
      needs: [],
    },
  };
  return ledgerEvent({ ...plan, ...more }, second) as PlannedEvent;
}

/** A delivery of one of its files. */
export function deliveredEvent(destination: string, second: number, more: Record<string, unknown> = {}): LedgerEvent {
  const address = `https://${destination}.example/a.tgz`;
  const delivered = { type: 'delivered', artifact: 'a.tgz', sha256: 'a'.repeat(64), address, alreadyThere: false };
  return ledgerEvent({ ...delivered, destination, ...more }, second);
}

/** Tags that vouch for these plans. */
export function anchorsFor(...plans: readonly PlannedEvent[]): TagAnchors {
  return new Map(plans.map((plan) => [plan.tag, { commit: plan.commit, plan: planDigest(plan) }]));
}

/** A release record with something in every field, and changes. */
export function releaseRecord(more: Partial<ReleaseRecord> = {}): ReleaseRecord {
  const digest = 'ab'.repeat(32);
  const commit = 'cd'.repeat(20);
  return {
    schema: 'bevelstone/1',
    package: 'tidemark',
    name: 'tidemark',
    ecosystem: 'node',
    folder: 'packages/tidemark',
    version: '1.4.0',
    last: '1.3.0',
    weight: 'minor',
    reasons: ['1 feature'],
    spellings: { semver: '1.4.0' },
    tag: 'tidemark/1.4.0',
    stream: { name: 'stable', type: 'stable', pointer: 'latest' },
    commit,
    source: commit,
    sourceTime: 1_790_000_000,
    configDigest: digest,
    needs: ['gauges'],
    artifacts: [artifactRecord('tidemark-1.4.0.tgz')],
    sboms: [],
    pending: [{ form: 'deb', platform: 'linux-arm64', why: 'it needs linux-arm64' }],
    uncommitted: false,
    tools: [{ name: 'node', path: '/usr/bin/node', version: null, sha256: digest }],
    program: { bevelstone: '0.1.0', node: '20.20.0', zlib: '1.3.1', arch: 'x64' },
    ...more,
  };
}
