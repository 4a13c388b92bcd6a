import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { foldEvents } from '../../../src/core/ledger/fold.ts';
import type { LedgerEvent } from '../../../src/core/record/event.ts';
import { anchorsFor, artifactRecord, deliveredEvent, ledgerEvent, plannedEvent } from '../../builders/ledger.ts';

const planned = plannedEvent();
const confirmed = (destination: string, second: number, found = 'bytes') =>
  ledgerEvent({ type: 'confirmed', destination, artifact: 'a.tgz', confirmed: found, why: null }, second);
const withdrawn = ledgerEvent(
  { type: 'withdrawn', destination: 'office', how: 'deprecated', reason: 'wrong datum' },
  8,
);
const abandoned = ledgerEvent({ type: 'abandoned' }, 9);
const fold = (...events: readonly LedgerEvent[]) => foldEvents(events, anchorsFor(planned));

describe('a release folded from its events', () => {
  it('knows its run, where it was planned to go, and what became of it', () => {
    const { releases, damage } = fold(
      planned,
      deliveredEvent('office', 1),
      confirmed('office', 2),
      deliveredEvent('shelf', 3, { artifact: 'b.tgz', sha256: 'b'.repeat(64) }),
      withdrawn,
      abandoned,
    );
    const [release] = releases;

    expect(fold(planned, deliveredEvent('office', 1)).releases[0]?.isAbandoned).toBe(false);
    expect(damage).toEqual([]);
    expect(release).toMatchObject({
      run: '20261123-080000-0123abcd',
      destinations: ['office', 'shelf'],
      isAbandoned: true,
      isVouched: true,
    });
    expect(release?.withdrawals).toMatchObject([{ destination: 'office', how: 'deprecated', reason: 'wrong datum' }]);
    expect(release?.deliveries.map(({ destination, state, confirmed: seen }) => [destination, state, seen])).toEqual([
      ['office', 'withdrawn', 'bytes'],
      ['shelf', 'delivered', 'no'],
    ]);
  });

  it('stays on record when it is withdrawn, and can be delivered again', () => {
    const promoted = ledgerEvent(
      {
        type: 'promoted',
        destination: 'office',
        from: 'testing',
        artifact: 'a.tgz',
        sha256: 'a'.repeat(64),
        address: 'https://office.example/b.tgz',
      },
      9,
    );
    const stateAfter = (...more: readonly LedgerEvent[]) =>
      fold(planned, deliveredEvent('office', 1), ...more).releases[0]?.deliveries.map(
        ({ state, address }) => `${state} ${address.slice(-5)}`,
      );

    expect(stateAfter()).toEqual(['delivered a.tgz']);
    expect(stateAfter(withdrawn)).toEqual(['withdrawn a.tgz']);
    expect(stateAfter(withdrawn, promoted)).toEqual(['promoted b.tgz']);
  });

  it('has the best confirmation of all', () => {
    const seen = (...all: readonly string[]) =>
      fold(planned, deliveredEvent('office', 1), ...all.map((name, index) => confirmed('office', index + 2, name)))
        .releases[0]?.deliveries[0]?.confirmed;

    expect([seen('no'), seen('entries', 'no'), seen('no', 'bytes', 'entries')]).toEqual(['no', 'entries', 'bytes']);
  });

  it('has an artifact in its new shape when it had to be built again, for which no tag vouches', () => {
    const again = artifactRecord('a.tgz', 'd');

    const [release] = fold(planned, ledgerEvent({ type: 'replanned', artifact: again }, 1)).releases;

    expect(release?.artifacts.map(({ file, sha256 }) => `${file} ${sha256[0]}`)).toEqual(['a.tgz d', 'b.tgz b']);
    expect([release?.replanned, release?.planned.map(({ sha256 }) => sha256[0])]).toEqual([['a.tgz'], ['a', 'b']]);
  });

  it('has what was deployed where, once for each deployment, and every return', () => {
    const deployed = (result: string, second: number) =>
      ledgerEvent(
        {
          type: 'deployed',
          deployment: 'harbour',
          target: 'folder /srv/tides',
          deployed: '1.4.0-20261123-080000-0123abcd',
          artifact: 'a.tgz',
          sha256: 'a'.repeat(64),
          by: 'Harbour desk',
          result,
          replaced: null,
        },
        second,
      );
    const partial = ledgerEvent(
      {
        type: 'partial',
        file: 'part.tar.gz',
        sha256: 'd'.repeat(64),
        size: 3,
        commit: 'c'.repeat(40),
        entries: 1,
        removed: 0,
        issues: ['12'],
      },
      7,
    );

    const { releases, damage } = fold(
      planned,
      deployed('deployed', 1),
      deployed('deployed', 2),
      deployed('returned', 3),
      deployed('returned', 4),
      deployed('failed', 5),
      partial,
    );

    expect(damage).toEqual([]);
    expect(releases[0]?.deployments.map(({ result }) => result)).toEqual([
      'deployed',
      'returned',
      'returned',
      'failed',
    ]);
    expect(releases[0]?.partials).toMatchObject([{ file: 'part.tar.gz', issues: ['12'] }]);
  });

  it('is the same in whatever order and however often its events come', () => {
    const events = [planned, deliveredEvent('office', 1), deliveredEvent('shelf', 2), confirmed('shelf', 3), abandoned];
    const expected = JSON.stringify(fold(...events));

    fc.assert(
      fc.property(fc.shuffledSubarray(events, { minLength: events.length }), fc.subarray(events), (mixed, more) => {
        expect(JSON.stringify(fold(...mixed, ...more))).toBe(expected);
      }),
    );
  });

  it('comes before older ones, and without a plan is none', () => {
    const later = plannedEvent({ version: '1.5.0', tag: 'tidemark/1.5.0' }, 30);

    const { releases } = foldEvents([planned, later], new Map());

    expect(releases.map(({ version }) => version)).toEqual(['1.5.0', '1.4.0']);
    expect(fold(deliveredEvent('office', 1), abandoned).releases).toEqual([]);
  });
});

describe('a forged event in the ledger', () => {
  const forged = plannedEvent({ artifacts: [artifactRecord('a.tgz', 'e')], commit: 'e'.repeat(40) }, 0);

  it('never replaces the plan that a tag vouches for, however early its id', () => {
    const early = { ...forged, id: '00000000T000000000Z-0000-0' };

    const { releases, damage } = fold(early, planned);

    expect(releases[0]).toMatchObject({ commit: planned.commit, isVouched: true });
    expect(releases[0]?.artifacts[0]?.sha256[0]).toBe('a');
    expect(damage[0]).toContain('several plans');
  });

  it.each([
    ['no tag', new Map()],
    ['a tag without a plan', new Map([[planned.tag, { commit: planned.commit, plan: null }]])],
    [
      'the tag at another commit',
      new Map([[planned.tag, { ...anchorsFor(planned).get(planned.tag), commit: 'd'.repeat(40) }]]),
    ],
    ['the tag of another plan', anchorsFor(forged)],
  ] as const)('is not vouched for by %s', (_, anchors) => {
    expect(foldEvents([planned], anchors as never).releases[0]?.isVouched).toBe(false);
  });

  it.each([
    ['a file that the release does not have', { artifact: 'c.tgz' }],
    ['other bytes', { sha256: 'e'.repeat(64) }],
  ])('that delivers %s is damage', (_, more) => {
    const { releases, damage } = fold(planned, deliveredEvent('office', 1, more));

    expect(releases[0]?.deliveries).toEqual([]);
    expect(damage[0]).toContain('does not fit the plan');
  });

  it('that gives a delivery another address makes both useless', () => {
    const { releases, damage } = fold(
      deliveredEvent('office', 0, { address: 'https://attacker.example/a.tgz' }),
      planned,
      deliveredEvent('office', 1),
      deliveredEvent('office', 2),
    );

    expect(releases[0]?.deliveries.map(({ isContradicted }) => isContradicted)).toEqual([true]);
    expect(damage).toHaveLength(1);
  });
});
