import { describe, expect, it } from 'vitest';
import { type SurfaceCheck, summariseCheck, summaryText } from '../../../src/core/surface/check.ts';
import { judgeSurface } from '../../../src/core/surface/judge.ts';
import { type Difference, depthOf } from '../../../src/core/surface/surface.ts';

const removed: Difference = {
  name: 'depth',
  entry: '.',
  effect: 'breaking',
  old: 'depth()',
  new: null,
  why: 'it was removed',
  oldPlace: null,
  newPlace: null,
};

function check(differences: readonly Difference[], notChecked: readonly string[]): SurfaceCheck {
  const judgement = judgeSurface(differences, { last: '1.0.0', version: '2.0.0', belowOne: 'keep', exceptions: [] });
  const compared = { from: 'the output folder', judgement, notChecked };
  const common = { package: 'depths', version: '2.0.0', artifact: 'depths.tgz', last: '1.0.0', digest: null };
  return { ...common, setting: 'refuse', compared, whyNot: null };
}

describe('how many owners stand above a name', () => {
  it.each([
    ['height', 0],
    ['tide.pc', 0, 'file'],
    ['Tide.height', 1],
    ['Tide.Builder.at(java.util.List<a.B>)', 2],
    ['Tide(sea.Port)', 1, 'constructor'],
    ['Clock::new', 1],
    ['Clock: From<a::B>', 1, 'implementation'],
    ['height@TIDE_1.4', 0],
  ])('%s: %i', (name, depth, kind = 'name') => {
    expect(depthOf({ name, kind })).toBe(depth);
  });
});

describe('the sentence on a card', () => {
  it.each([
    ['nothing changed', [], [], 'depths.tgz: the same names as 1.0.0'],
    ['a part was not read', [], ['a.js: too large'], 'depths.tgz: the same names as 1.0.0; 1 part not checked'],
    ['a name went', [removed], [], 'depths.tgz: 1 breaking since 1.0.0 (a major version): depth'],
    [
      'a name went, and parts were not read',
      [removed],
      ['a.js: too large', 'b.js: too large'],
      'depths.tgz: 1 breaking since 1.0.0 (a major version): depth; 2 parts not checked',
    ],
  ] as const)('says when %s', (_, differences, notChecked, sentence) => {
    expect(summaryText(summariseCheck(check(differences, notChecked)))).toBe(sentence);
  });

  it('says why nothing was compared', () => {
    const missing = { ...check([], []), compared: null, whyNot: 'it is not to be had' };
    expect(summaryText(summariseCheck(missing))).toBe('depths.tgz: not compared with 1.0.0: it is not to be had');
    expect(summaryText(summariseCheck({ ...missing, last: null, whyNot: null }))).toBe(
      'depths.tgz: the first release, nothing to compare with',
    );
  });
});
