import fc from 'fast-check';
import { expect, it } from 'vitest';
import { AnchorSearch } from '../../../src/core/facts/anchor-search.ts';

/** All hits, one after the other without overlap. */
function hitsOf(anchors: readonly string[], text: string): [number, string][] {
  const search = new AnchorSearch(anchors);
  const bytes = Buffer.from(text, 'latin1');
  const hits: [number, string][] = [];
  for (let from = 0; ; ) {
    const hit = search.next(text, bytes, from);
    if (hit === null) return hits;
    hits.push([hit.at, hit.anchor]);
    from = hit.at + hit.anchor.length;
  }
}

/** The same by looking for each anchor at each place. */
function slowHitsOf(anchors: readonly string[], text: string): [number, string][] {
  const longestFirst = [...anchors].sort((a, b) => b.length - a.length);
  const hits: [number, string][] = [];
  for (let at = 0; at < text.length; ) {
    const anchor = longestFirst.find((one) => text.startsWith(one, at));
    if (anchor !== undefined) hits.push([at, anchor]);
    at += anchor?.length ?? 1;
  }
  return hits;
}

it.each([
  [
    ['ebb', 'ebbing'],
    'ebb ebbing ebbin',
    [
      [0, 'ebb'],
      [4, 'ebbing'],
      [11, 'ebb'],
    ],
  ],
  [['tt'], 'ttt', [[0, 'tt']]],
  [
    ['t', 'tide'],
    'a tide, t',
    [
      [2, 'tide'],
      [8, 't'],
    ],
  ],
  [
    ['//', '/home/ö/'],
    '/home/ö///',
    [
      [0, '/home/ö/'],
      [8, '//'],
    ],
  ],
  [['/home/潮/'], '/home/x/', []],
  [['low'], '', []],
  [['low'], 'l', []],
  [['low'], 'lo', []],
  [['low'], 'slow', [[1, 'low']]],
])('anchors %j in %j', (anchors, text, hits) => {
  expect(hitsOf(anchors, text)).toEqual(hits);
});

it('finds what looking for each anchor at each place finds', () => {
  const piece = fc.string({ unit: fc.constantFrom('a', 'b', '-', '.', '\0', 'ÿ'), minLength: 1, maxLength: 4 });
  fc.assert(
    fc.property(
      fc.uniqueArray(piece, { minLength: 1, maxLength: 6 }),
      fc.array(piece, { maxLength: 30 }),
      (anchors, parts) => {
        const text = parts.join('');
        expect(hitsOf(anchors, text)).toEqual(slowHitsOf(anchors, text));
      },
    ),
  );
});
