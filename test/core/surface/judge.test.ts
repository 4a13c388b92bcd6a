import { describe, expect, it } from 'vitest';
import { judgeSurface } from '../../../src/core/surface/judge.ts';
import { surfaceSection, withSurfaceSection } from '../../../src/core/surface/notes-section.ts';
import { type Difference, type Effect, sortDifferences, stepFor } from '../../../src/core/surface/surface.ts';

const difference = (effect: Effect, name = 'height', more: Partial<Difference> = {}): Difference => ({
  name,
  entry: '.',
  effect,
  old: 'old',
  new: 'new',
  why: 'it differs',
  oldPlace: null,
  newPlace: null,
  ...more,
});

describe('a version', () => {
  it.each<[string, string, readonly Effect[], string, 'shift' | 'keep', boolean]>([
    ['1.4.0', '1.4.1', ['breaking'], '2.0.0', 'shift', true],
    ['1.4.0', '1.5.0', ['breaking'], '2.0.0', 'shift', true],
    ['1.4.0', '2.0.0', ['breaking'], '2.0.0', 'shift', false],
    ['1.4.0', '1.4.1', ['addition'], '1.5.0', 'shift', true],
    ['1.4.0', '1.5.0', ['addition', 'compatible'], '1.5.0', 'shift', false],
    ['1.4.0', '1.4.1', ['compatible'], '1.4.1', 'shift', false],
    ['1.4.0', '1.4.1', [], '1.4.0', 'shift', false],
    ['1.4.0', '1.4.1', ['unknown'], '1.4.0', 'shift', false],
    ['1.4.0', '1.4.1', ['unknown', 'addition'], '1.5.0', 'shift', true],
    ['1.4.0', '2.0.0-early.1', ['breaking'], '2.0.0', 'shift', false],
    ['0.4.0', '0.4.1', ['breaking'], '0.5.0', 'shift', true],
    ['0.4.0', '0.4.1', ['addition'], '0.4.1', 'shift', false],
    ['0.4.0', '0.5.0', ['breaking'], '1.0.0', 'keep', true],
  ])('after %s, %s with %j needs at least %s', (last, version, effects, smallest, belowOne, isSmall) => {
    const judged = judgeSurface(
      effects.map((effect) => difference(effect)),
      { last, version, belowOne, exceptions: [] },
    );
    expect([judged.smallest, judged.isUnderstated]).toEqual([smallest, isSmall]);
  });

  it.each([
    ['1.4.0', '1.5.0', [] as Effect[], true],
    ['1.4.0', '1.4.1', [] as Effect[], false],
    ['1.4.0', '2.0.0', ['addition'] as Effect[], true],
    ['1.4.0', '2.0.0', ['unknown'] as Effect[], false],
  ])('after %s, %s with %j is larger than needed: %s', (last, version, effects, isLarge) => {
    const all = effects.map((effect) => difference(effect));
    expect(judgeSurface(all, { last, version, belowOne: 'shift', exceptions: [] }).isOverstated).toBe(isLarge);
  });

  it('does not count what an exception names, its members and parameters; unused ones are named', () => {
    const all = ['Tide', 'Tide.low', 'Tide(port)', 'Tidemark'].map((name) => difference('breaking', name));
    const exceptions = ['Tide', 'Chart'].map((name) => ({ name, reason: 'never documented' }));
    const judged = judgeSurface(all, { last: '1.0.0', version: '1.0.1', belowOne: 'shift', exceptions });
    expect(judged.counted.map(({ name }) => name)).toEqual(['Tidemark']);
    expect(judged.excepted).toHaveLength(3);
    expect(judged.unused).toEqual(['Chart']);
  });
});

it('the step of no difference is none', () => {
  expect(stepFor([])).toBe('none');
});

it('what several entries have in common appears once, the most important first', () => {
  const sorted = sortDifferences([
    difference('addition', 'b'),
    difference('breaking', 'a', { new: null, why: 'it was removed' }),
    difference('breaking', 'a', { new: null, why: 'it is no longer accepted' }),
    difference('breaking', 'a', { new: null, why: 'it was removed', entry: './sub' }),
  ]);
  expect(sorted.map(({ name, entry, alsoIn }) => [name, entry, alsoIn])).toEqual([
    ['a', '.', ['./sub']],
    ['b', '.', undefined],
  ]);
});

describe('notes', () => {
  const section = surfaceSection(
    [difference('breaking', 'a', { new: null }), difference('addition', 'b'), difference('compatible', 'c')],
    3,
  );

  it('name what changed, by what happened to it', () => {
    expect(section).toBe('### Changes to the public surface\n\n- Removed: `a`\n- New: `b`\n- Changed: `c`\n');
  });

  it('have no section where nothing changed', () => {
    expect(surfaceSection([], 3)).toBeNull();
  });

  it('get the section once, however often', () => {
    const once = withSurfaceSection('## 1.4.0\n\n- Tides\n', section);
    expect(withSurfaceSection(once, section)).toBe(once);
    expect(withSurfaceSection(once, null)).toBe('## 1.4.0\n\n- Tides\n');
  });
});
