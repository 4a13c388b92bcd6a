import fc from 'fast-check';
import { expect, it } from 'vitest';
import { AnchorSearch } from '../../../src/core/facts/anchor-search.ts';

/** All hits, one after the other without overlap. */
function hitsOf(anchors: readonly string[], text: string, isOdd = false): [number, string][] {
  const search = new AnchorSearch(anchors);
  // At an even address or an odd one.
  const bytes = Buffer.concat([Buffer.alloc(isOdd ? 1 : 0), Buffer.from(text, 'latin1')]).subarray(isOdd ? 1 : 0);
  const hits: [number, string][] = [];
  for (let from = 0; ; ) {
    const hit = search.next(bytes, from);
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
    ['ti', 'tide'],
    'a tide, ti',
    [
      [2, 'tide'],
      [8, 'ti'],
    ],
  ],
  [['ti'], 'ati', [[1, 'ti']]],
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
  expect(hitsOf(anchors, text, true)).toEqual(hits);
});

it('finds what looking for each anchor at each place finds', () => {
  const unit = fc.constantFrom('a', 'b', '-', '.', '\0', 'ÿ');
  const anchor = fc.string({ unit, minLength: 2, maxLength: 4 });
  fc.assert(
    fc.property(
      fc.uniqueArray(anchor, { minLength: 1, maxLength: 6 }),
      fc.string({ unit, maxLength: 100 }),
      fc.boolean(),
      (anchors, text, isOdd) => {
        expect(hitsOf(anchors, text, isOdd)).toEqual(slowHitsOf(anchors, text));
      },
    ),
  );
});
