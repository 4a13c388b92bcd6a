import { createHash } from 'node:crypto';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Commit } from '../../../src/core/history/commit.ts';
import { Amendments } from '../../../src/core/history/meaning.ts';
import { packagesByPath } from '../../../src/core/history/touch.ts';
import { type PackedCommits, Walk } from '../../../src/core/history/walk.ts';
import {
  formatCachePart,
  formatCacheStart,
  formatCacheTip,
  parseHistoryCache,
} from '../../../src/core/record/history-cache.ts';

const idOf = (text: string) => createHash('sha1').update(text).digest('hex');
const nothingNamed = { people: 0, lists: 0, kinds: 0 };
const key = 'k'.repeat(64);

function newWalk(): Walk {
  return new Walk({
    owners: packagesByPath(['a', 'b'].map((folder) => ({ folder, also: [] }))),
    isWriteBackPath: (file) => file.endsWith('x'),
    meaning: { weights: { breaking: 'major', feat: 'minor', fix: 'patch' }, patterns: [], unmarkedWeight: 'patch' },
    amendments: new Amendments({}),
    keepOthers: true,
  });
}

const messages = [
  'fix: low water',
  'feat(log)!: levels',
  'docs(tables): tides (#12)',
  'tidy up 🌊',
  'chore: release\n\nBevelstone-Release: a@1.0.0',
  `Revert "x"\n\nThis reverts commit ${idOf('x')}.`,
  'fix: two\n\nCo-authored-by: Pilot <pilot@fenmarsh.example>',
];

const commits = fc.array(
  fc.record({
    parents: fc.uniqueArray(fc.nat(9), { maxLength: 3 }),
    message: fc.oneof(fc.constantFrom(...messages), fc.string({ unit: 'binary', minLength: 1 })),
    paths: fc.uniqueArray(fc.constantFrom('a/x', 'a/y', 'b/x', 'README.md')),
    name: fc.constantFrom('Boat', 'Pilot'),
    cut: fc.boolean(),
  }),
  { minLength: 1, maxLength: 12 },
);

type Spec = { readonly parents: readonly number[] } & Pick<Commit, 'message' | 'paths' | 'cut'> & { name: string };

function walkOf(specs: readonly Spec[]): Walk {
  const walk = newWalk();
  for (const [index, { parents, name, ...rest }] of specs.entries())
    walk.add({
      id: idOf(`commit ${index}`),
      parents: parents.map((other) => idOf(`commit ${other}`)),
      author: { name, email: `${name}@fenmarsh.example` },
      ...rest,
    });
  return walk;
}

function partsOf(walk: Walk, length: number): PackedCommits[] {
  const parts: PackedCommits[] = [];
  for (let from = 0; from < walk.graph.size; from += length)
    parts.push(walk.pack(from, Math.min(walk.graph.size, from + length), from === 0 ? nothingNamed : walk.named));
  return parts;
}

function seenOf(walk: Walk) {
  const ids = Array.from({ length: walk.graph.size }, (_, index) => [
    walk.graph.idOf(index),
    walk.graph.parents(index),
  ]);
  const said = [...walk.touching()].map(({ index, author, touched, meaning: { how, weight, items, references } }) => {
    const texts = items.map(({ kind, scope, summary, breaking, weight: own }) => [kind, scope, summary, breaking, own]);
    return [index, author, touched, how, weight, texts, references];
  });
  return { ids, said, others: walk.others, notes: walk.notes };
}

it('gives back every commit, in however many parts they were written', () => {
  fc.assert(
    fc.property(commits, fc.integer({ min: 1, max: 12 }), (specs, length) => {
      const walk = walkOf(specs);
      const bytes = [
        formatCacheStart(key, null),
        ...partsOf(walk, length).map(formatCachePart),
        formatCacheTip(idOf('commit 0'), [], specs.length),
      ];

      const cache = parseHistoryCache(Buffer.concat(bytes), key);
      const again = newWalk();
      for (const part of cache?.parts ?? []) again.putPacked(part);

      expect(seenOf(again)).toEqual(seenOf(walk));
      expect(again.named).toEqual(walk.named);
    }),
  );
});

describe('what cannot have been written so', () => {
  const specs = messages.map((message) => ({ parents: [1], message, paths: ['a/x'], name: 'Boat', cut: false }));
  const [whole] = partsOf(walkOf(specs), specs.length);
  if (whole === undefined) throw new Error('a walk has a part');
  const { graph, sayings } = whole;
  const count = specs.length;
  const withRow = (at: number, value: number): PackedCommits => {
    const rows = sayings.rows.slice();
    rows[at] = value;
    return { graph, sayings: { ...sayings, rows } };
  };
  const parse = (part: PackedCommits, base: readonly string[] = [], length = count, own = key) =>
    parseHistoryCache(
      Buffer.concat([formatCacheStart(key, null), formatCachePart(part), formatCacheTip(idOf('tip'), base, length)]),
      own,
    );

  it('does not include a valid part', () => {
    expect(parse(whole)).toMatchObject({ tips: [idOf('tip')], sections: 1, isWhole: true });
  });

  it.each<[string, () => unknown]>([
    ['another key', () => parse(whole, [], count, 'other')],
    ['a tip that was not known', () => parse(whole, [idOf('base')])],
    ['another number of commits', () => parse(whole, [], count + 1)],
    ['an unknown author', () => parse(withRow(0, 1))],
    ['an author before the first', () => parse(withRow(0, -1))],
    ['an unknown list of packages', () => parse(withRow(1, 9))],
    ['an unknown kind', () => parse(withRow(2, 99 << 9))],
    ['a text that begins before all', () => parse(withRow(4, -1))],
    ['a text behind all', () => parse(withRow(5, sayings.texts.length + 1))],
    ['ids of half a commit', () => parse({ graph: { ...graph, ids: graph.ids.subarray(1) }, sayings })],
    ['a parent too many', () => parse({ graph: { ...graph, parentCounts: graph.parentCounts.map(() => 2) }, sayings })],
    ['fewer rows', () => parse({ graph, sayings: { ...sayings, rows: sayings.rows.subarray(6) } })],
    [
      'names that an earlier part has',
      () => parse({ graph, sayings: { ...sayings, before: { ...nothingNamed, people: 1 } } }),
    ],
  ])('%s', (_, read) => {
    expect(read()).toBeNull();
  });

  it.each<[string, Buffer]>([
    [
      'a part without a tip',
      formatCachePart({ graph, sayings: { ...sayings, before: { people: 1, lists: 1, kinds: 5 } } }),
    ],
    ['something else', Buffer.from('ebb')],
  ])('what stands behind is left out: %s', (_, behind) => {
    const bytes = [formatCacheStart(key, null), formatCachePart(whole), formatCacheTip(idOf('tip'), [], count), behind];
    expect(parseHistoryCache(Buffer.concat(bytes), key)).toMatchObject({ sections: 1, isWhole: false });
  });

  it('any byte that changed', () => {
    const start = formatCacheStart(key, null);
    const bytes = Buffer.concat([start, formatCachePart(whole), formatCacheTip(idOf('tip'), [], count)]);
    for (let at = start.length; at < bytes.length; at++) {
      const damaged = Buffer.from(bytes);
      damaged[at] = (damaged[at] ?? 0) ^ 1;
      expect(parseHistoryCache(damaged, key)).toBeNull();
      expect(parseHistoryCache(bytes.subarray(0, at), key)).toBeNull();
    }
  });
});
