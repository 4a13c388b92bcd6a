// The orders here are written from the public specifications alone, as judges of what the program spells.
import fc from 'fast-check';
import semver from 'semver';
import { describe, expect, it } from 'vitest';
import { spell, spellAll } from '../../../src/core/version/spelling.ts';
import type { Stream } from '../../../src/core/version/stream.ts';

const stable: Stream = { type: 'stable', name: 'stable' };
const early = (identifier: string, spelling: 'alpha' | 'beta' | 'rc' | null): Stream => ({
  type: 'labelled',
  name: 'early',
  identifier,
  spell: spelling,
  count: 'releases',
});

/** Debian Policy §5.6.12, "Version comparison": alternating non-digits and digits, `~` before everything. */
function compareDebian(a: string, b: string): number {
  // Non-digits stand at even places, digits at odd ones.
  const partsOf = (text: string) =>
    [...text.matchAll(/(\D*)(\d*)/g)].flatMap(([, word = '', digits = '']) => [word, digits]);
  const [left, right] = [partsOf(a), partsOf(b)];
  const rank = (letter: string | undefined) =>
    letter === '~'
      ? -1
      : letter === undefined
        ? 0
        : /[A-Za-z]/.test(letter)
          ? letter.charCodeAt(0)
          : letter.charCodeAt(0) + 256;
  for (let index = 0; index < Math.max(left.length, right.length); index++) {
    const [value, other] = [left[index] ?? '', right[index] ?? ''];
    if (index % 2 === 1) {
      if (Number(value) !== Number(other)) return Number(value) - Number(other);
      continue;
    }
    for (let at = 0; at < Math.max(value.length, other.length); at++) {
      const difference = rank(value[at]) - rank(other[at]);
      if (difference !== 0) return difference;
    }
  }
  return 0;
}

/** PEP 440, "Summary of permitted suffixes and relative ordering": dev, a, b, rc, none. */
function comparePython(a: string, b: string): number {
  const key = (text: string) => {
    const [, release = '', label, number = '0', dev] =
      /^([\d.]+?)(?:(a|b|rc)(\d+))?(?:\.dev(\d+))?(?:\+.*)?$/.exec(text) ?? [];
    return [
      ...release.split('.').map(Number),
      label === undefined ? (dev === undefined ? 9 : 0) : ['a', 'b', 'rc'].indexOf(label) + 1,
      Number(number),
      Number(dev ?? 0),
    ];
  };
  const [left, right] = [key(a), key(b)];
  return left.map((part, index) => part - (right[index] ?? 0)).find((difference) => difference !== 0) ?? 0;
}

/** Maven POM reference, "Version Order Specification": tokens, qualifiers before the release, SNAPSHOT after rc. */
function compareMaven(a: string, b: string): number {
  const qualifiers = ['alpha', 'beta', 'milestone', 'rc', 'snapshot', '', 'sp'];
  const key = (text: string) =>
    text
      .toLowerCase()
      .split(/[.-]/)
      .map((part) => (/^\d+$/.test(part) ? 100 + Number(part) : qualifiers.indexOf(part)));
  const [left, right] = [key(a), key(b)];
  for (let index = 0; index < Math.max(left.length, right.length); index++) {
    // Missing parts count as the empty qualifier.
    const difference = (left[index] ?? 5) - (right[index] ?? 5);
    if (difference !== 0) return difference;
  }
  return 0;
}

const number = fc.nat(30);
const normal = fc.tuple(number, number, number).map((parts) => parts.join('.'));
const inSeries = (identifier: string) =>
  fc.tuple(normal, fc.integer({ min: 1, max: 300 })).map(([core, counter]) => `${core}-${identifier}.${counter}`);

describe.each([
  ['debian', compareDebian],
  ['python', comparePython],
  ['maven', compareMaven],
] as const)('the %s spelling', (scheme, compare) => {
  it.each([
    ['alpha', 'alpha'],
    ['early', 'beta'],
    ['rc', 'rc'],
  ] as const)('keeps the order of releases and of the series %s', (identifier, spelling) => {
    const version = fc.oneof(normal, inSeries(identifier));
    fc.assert(
      fc.property(version, version, (a, b) => {
        const stream = early(identifier, spelling);
        expect(Math.sign(compare(spell(scheme, a, stream), spell(scheme, b, stream)))).toBe(semver.compare(a, b));
      }),
      { numRuns: 300 },
    );
  });
});

it.each([
  [
    '1.4.0',
    stable,
    {
      semver: '1.4.0',
      python: '1.4.0',
      debian: '1.4.0-1',
      maven: '1.4.0',
      nuget: '1.4.0',
      rust: '1.4.0',
      'four-number': '1.4.0.0',
    },
  ],
  [
    '2.0.0-early.1',
    early('early', 'alpha'),
    {
      semver: '2.0.0-early.1',
      python: '2.0.0a1',
      debian: '2.0.0~early.1-1',
      maven: '2.0.0-alpha-1',
      nuget: '2.0.0-early.1',
      rust: '2.0.0-early.1',
    },
  ],
  [
    '1.5.0-0.preview.fix-tides.4+3f2c9e1',
    { type: 'preview', name: 'preview', label: 'fix-tides' } as Stream,
    {
      semver: '1.5.0-0.preview.fix-tides.4+3f2c9e1',
      python: '1.5.0.dev4+3f2c9e1',
      debian: '1.5.0~0.preview.fix-tides.4+3f2c9e1-1',
      maven: '1.5.0-SNAPSHOT',
      nuget: '1.5.0-0.preview.fix-tides.4+3f2c9e1',
      rust: '1.5.0-0.preview.fix-tides.4+3f2c9e1',
    },
  ],
] as const)('spells %s everywhere, and leaves out what can not be said', (version, stream, spellings) => {
  const { 'c-header': macros, ...others } = spellAll(version, stream);

  expect(others).toEqual(spellings);
  expect(macros).toContain(`#define VERSION "${version}"\n#define VERSION_MAJOR ${version[0]}\n`);
});

it.each([
  ['python', '2.0.0-early.1', early('early', null), 'STREAM_UNSPELLABLE'],
  ['maven', '2.0.0-early.1', early('early', null), 'STREAM_UNSPELLABLE'],
  ['debian', '2.0.0-rc1.1', early('rc1', 'rc'), 'SPELLING_IMPOSSIBLE'],
  ['four-number', '2.0.0-rc.1', early('rc', 'rc'), 'SPELLING_IMPOSSIBLE'],
  ['four-number', '1.65536.0', stable, 'SPELLING_IMPOSSIBLE'],
] as const)('refuses to write for %s what it can not express: %s', (scheme, version, stream, code) => {
  expect(() => spell(scheme, version, stream)).toThrow(
    expect.objectContaining({ code, message: expect.stringContaining(version) }),
  );
});

it('keeps a prerelease from looking stable in a C header', () => {
  expect(spell('c-header', '2.1.3-early.4', early('early', 'alpha'))).toBe(
    '#define VERSION "2.1.3-early.4"\n#define VERSION_MAJOR 2\n#define VERSION_MINOR 1\n#define VERSION_PATCH 3\n#define VERSION_PRERELEASE "early.4"\n',
  );
});
