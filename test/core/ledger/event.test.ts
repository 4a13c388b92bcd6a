import fc from 'fast-check';
import { expect, it } from 'vitest';
import { foldEvents, type LedgerEvent } from '../../../src/core/ledger/event.ts';

const common = { run: 'r', package: 'tidemark', version: '1.4.0' };
const delivery = { ...common, destination: 'office', artifact: 'tidemark-1.4.0.tgz' };
const events: LedgerEvent[] = [
  {
    ...common,
    id: '1',
    at: '2026-11-23T08:00:00Z',
    type: 'planned',
    commit: 'c',
    source: 'c',
    tag: 'tidemark/1.4.0',
    artifacts: [],
    destinations: ['office'],
    contents: '00',
  },
  {
    ...delivery,
    id: '2',
    at: '2026-11-23T08:00:01Z',
    type: 'delivered',
    sha256: 'aa',
    address: 'x',
    alreadyThere: false,
  },
  { ...delivery, id: '3', at: '2026-11-23T08:00:02Z', type: 'confirmed', confirmed: 'bytes', why: null },
  {
    ...common,
    id: '4',
    at: '2026-11-23T08:00:03Z',
    type: 'pointed',
    destination: 'office',
    pointer: 'latest',
    from: null,
  },
  {
    ...delivery,
    id: '5',
    at: '2026-11-23T09:00:00Z',
    type: 'delivered',
    sha256: 'aa',
    address: 'x',
    alreadyThere: true,
  },
  {
    ...common,
    version: '1.5.0',
    id: '6',
    at: '2026-11-24T08:00:00Z',
    type: 'planned',
    commit: 'd',
    source: 'd',
    tag: 'tidemark/1.5.0',
    artifacts: [],
    destinations: [],
    contents: '00',
  },
];

it('tells releases newest first, each delivery once, with its confirmation', () => {
  expect(foldEvents(events)).toMatchObject([
    {
      package: 'tidemark',
      version: '1.5.0',
      commit: 'd',
      tag: 'tidemark/1.5.0',
      date: '2026-11-24T08:00:00Z',
      artifacts: [],
      deliveries: [],
    },
    {
      package: 'tidemark',
      version: '1.4.0',
      commit: 'c',
      tag: 'tidemark/1.4.0',
      date: '2026-11-23T08:00:00Z',
      artifacts: [],
      deliveries: [
        {
          destination: 'office',
          artifact: 'tidemark-1.4.0.tgz',
          state: 'delivered',
          confirmed: 'bytes',
          address: 'x',
          sha256: 'aa',
        },
      ],
    },
  ]);
});

it('tells the same whatever the order in which two writers were united', () => {
  fc.assert(
    fc.property(fc.shuffledSubarray(events, { minLength: events.length }), (shuffled) => {
      expect(foldEvents(shuffled)).toEqual(foldEvents(events));
    }),
  );
});

it('a withdrawn release stays on record, and can be delivered again', () => {
  const withdrawn = {
    ...common,
    id: '7',
    at: '2026-11-25T08:00:00Z',
    type: 'withdrawn',
    destination: 'office',
    how: 'deprecated',
    reason: 'late',
  } as const;
  const promoted = {
    ...delivery,
    id: '8',
    at: '2026-11-26T08:00:00Z',
    type: 'promoted',
    from: 'testing',
    sha256: 'aa',
    address: 'y',
  } as const;
  const stateAfter = (...more: LedgerEvent[]) =>
    foldEvents([...events, ...more])
      .find(({ version }) => version === '1.4.0')
      ?.deliveries.map(({ state, address }) => `${state} ${address}`);

  expect(stateAfter(withdrawn)).toEqual(['withdrawn x']);
  expect(stateAfter(withdrawn, promoted)).toEqual(['promoted y']);
  expect(stateAfter(promoted)).toEqual(['delivered x']);
});

it('a release that was planned before its names were recorded is told by what there is', () => {
  const [release] = foldEvents(events.slice(0, 1));

  expect(release?.about).toMatchObject({ name: 'tidemark', spellings: { semver: '1.4.0' }, needs: [] });
});
