import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { aboutOf, foldEvents, type LedgerEvent } from '../../../src/core/ledger/event.ts';
import type { ArtifactRecord, ReleaseRecord } from '../../../src/core/ledger/release-record.ts';

const artifact = (file: string, sha256: string): ArtifactRecord => ({
  file,
  form: 'npm-tarball',
  platform: null,
  size: 10,
  sha256,
  sha512: '',
  sha1: '',
  contentDigest: sha256,
  entries: 1,
});

const about = aboutOf({
  name: 'tidemark',
  ecosystem: 'node',
  folder: '.',
  spellings: { semver: '1.4.0' },
  stream: { name: 'stable', type: 'stable', pointer: 'stable' },
  sourceTime: 1,
  needs: [],
} as unknown as ReleaseRecord);

let count = 0;
/** An event of the release 1.4.0, later than those made before it. */
function event(more: Record<string, unknown>): LedgerEvent {
  count += 1;
  const at = new Date(1_795_000_000_000 + count * 1000).toISOString();
  const id = `${at.replace(/[-:.]/g, '')}-${String(count).padStart(4, '0')}-12345678`;
  return { id, at, run: 'run-1', package: 'tidemark', version: '1.4.0', ...more } as LedgerEvent;
}

const planned = event({
  type: 'planned',
  commit: 'c',
  source: 's',
  tag: 'v1.4.0',
  artifacts: [artifact('a.tgz', 'aa'), artifact('b.tgz', 'bb')],
  destinations: ['office', 'shelf'],
  contents: 'cc',
  about,
});
const delivered = (destination: string, file: string) =>
  event({
    type: 'delivered',
    destination,
    artifact: file,
    sha256: 'aa',
    address: `https://${destination}.example/${file}`,
    alreadyThere: false,
  });

describe('a release folded from its events', () => {
  it('knows its run, where it was planned to go, and what became of it', () => {
    const events = [
      planned,
      delivered('office', 'a.tgz'),
      event({ type: 'confirmed', destination: 'office', artifact: 'a.tgz', confirmed: 'bytes', why: null }),
      delivered('shelf', 'b.tgz'),
      event({ type: 'withdrawn', destination: 'office', how: 'deprecated', reason: 'wrong datum' }),
      event({ type: 'abandoned' }),
    ];

    const [release] = foldEvents(events);

    expect(release).toMatchObject({ run: 'run-1', destinations: ['office', 'shelf'], isAbandoned: true });
    expect(release?.withdrawals).toMatchObject([{ destination: 'office', how: 'deprecated', reason: 'wrong datum' }]);
    expect(release?.deliveries.map(({ destination, state, confirmed }) => [destination, state, confirmed])).toEqual([
      ['office', 'withdrawn', 'bytes'],
      ['shelf', 'delivered', 'no'],
    ]);
  });

  it('has an artifact in its new shape when it had to be built again', () => {
    const again = artifact('a.tgz', 'dd');

    const [release] = foldEvents([planned, event({ type: 'replanned', artifact: again })]);

    expect(release?.artifacts.map(({ file, sha256 }) => [file, sha256])).toEqual([
      ['a.tgz', 'dd'],
      ['b.tgz', 'bb'],
    ]);
  });

  it('is the same in whatever order and however often its events come', () => {
    const events = [planned, delivered('office', 'a.tgz'), delivered('shelf', 'b.tgz'), event({ type: 'abandoned' })];
    const expected = JSON.stringify(foldEvents(events));

    fc.assert(
      fc.property(fc.shuffledSubarray(events, { minLength: events.length }), fc.subarray(events), (mixed, more) => {
        expect(JSON.stringify(foldEvents([...mixed, ...more]))).toBe(expected);
      }),
    );
  });

  it('without a plan is none', () => {
    expect(foldEvents([delivered('office', 'a.tgz'), event({ type: 'abandoned' })])).toEqual([]);
  });
});
