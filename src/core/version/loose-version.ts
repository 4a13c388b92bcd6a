import { isVersion } from './version.ts';

/** How many numbers a version has at least; missing ones are read as 0. */
export type VersionParts = 1 | 2 | 3;

/** How the versions of existing tags are written, where it is not SemVer. */
export type VersionReading = {
  readonly parts: VersionParts;
  /** Whose prereleases are read: `1.2rc1` (PEP 440), `1.2.0.Beta1` (Maven). */
  readonly prerelease: 'semver' | 'python' | 'maven';
  /** What stands between the numbers. */
  readonly separator: '.' | '_' | '-';
};

/** SemVer as it is written. */
export const strictReading: VersionReading = { parts: 3, prerelease: 'semver', separator: '.' };

/**
 * The SemVer version that a text stands for, read as a tag pattern says (docs/design/versions.md, step 2).
 * @returns null when the text has too few numbers, a leading zero, or anything behind them that is not a prerelease.
 */
export function readVersion(text: string, { parts, prerelease, separator }: VersionReading): string | null {
  const mark = separator === '.' ? '\\.' : separator;
  const match = new RegExp(`^(\\d+)(?:${mark}(\\d+))?(?:${mark}(\\d+))?(?!\\d)(.*)$`, 's').exec(text);
  if (match === null) return null;
  const numbers = match.slice(1, 4).filter((part) => part !== undefined);
  if (numbers.length < parts) return null;
  const core = [...numbers, '0', '0'].slice(0, 3).join('.');
  const rest = match[4] ?? '';
  const spelt = { semver: rest, python: pythonRest(rest), maven: mavenRest(rest) }[prerelease] ?? rest;
  return isVersion(core + spelt) ? core + spelt : null;
}

const pythonStages: Readonly<Record<string, string>> = {
  a: 'alpha',
  alpha: 'alpha',
  b: 'beta',
  beta: 'beta',
  c: 'rc',
  rc: 'rc',
  pre: 'rc',
  preview: 'rc',
};

/** PEP 440, "Pre-releases" and their normalisation; null for anything else. */
function pythonRest(rest: string): string | null {
  const [, stage, number] = /^[-_.]?(a|alpha|b|beta|c|rc|pre|preview)[-_.]?(\d*)$/i.exec(rest) ?? [];
  if (stage === undefined) return null;
  return `-${pythonStages[stage.toLowerCase()]}.${Number(number ?? 0)}`;
}

const mavenStages: Readonly<Record<string, string>> = {
  a: 'alpha',
  alpha: 'alpha',
  b: 'beta',
  beta: 'beta',
  cr: 'rc',
  rc: 'rc',
  m: 'milestone',
  milestone: 'milestone',
};

/** Qualifiers of Maven versions (POM reference, "Version Order Specification"): `.Final` and `.GA` are the release itself. */
function mavenRest(rest: string): string | null {
  if (/^[.-](?:final|ga|release)$/i.test(rest)) return '';
  const [, stage, number] = /^[.-]?(a|alpha|b|beta|cr|rc|m|milestone)[.-]?(\d*)$/i.exec(rest) ?? [];
  if (stage === undefined) return null;
  return `-${mavenStages[stage.toLowerCase()]}${number === '' ? '' : `.${Number(number)}`}`;
}

/** A name that looks as if it named a version: the text before its first number, the rest, and the numbers at its front. */
export type VersionLike = { readonly lead: string; readonly version: string; readonly numbers: readonly number[] };

/**
 * Whether a tag looks like a version, in any of the ways in which people write one: two numbers or more, or one number behind
 * a `v` or a word for a release. Used to notice tags that no pattern reads, never to take a version from them.
 */
export function versionLike(tag: string): VersionLike | null {
  const match =
    /^(?<lead>(?:.*?[^A-Za-z0-9])??(?<word>(?:v|ver|version|rel|release)[._/-]?)?)(?<version>(?<numbers>\d{1,9}(?:[._]\d{1,9}){0,4})(?:[-._+]?[A-Za-z].*|[-+].*)?)$/is.exec(
      tag,
    );
  const { lead = '', word, version = '', numbers = '' } = match?.groups ?? {};
  const found = numbers.split(/[._]/).map(Number);
  return match === null || (found.length === 1 && word === undefined) ? null : { lead, version, numbers: found };
}

/** Whether a tag names a version, in whatever way people write one. */
export function namesVersion(tag: string, version: string): boolean {
  if (tag.includes(version)) return true;
  const text = versionLike(tag)?.version;
  return text !== undefined && readings.some((reading) => readVersion(text, reading) === version);
}

/** Whether two texts stand for one version: `1.2` and `1.2.0`, `1.2rc1` and `1.2.0-rc.1`. */
export function isSameVersion(a: string, b: string): boolean {
  if (a === b) return true;
  const [left, right] = [a, b].map((text) => readings.map((reading) => readVersion(text, reading))) as [
    (string | null)[],
    (string | null)[],
  ];
  return left.some((read) => read !== null && right.includes(read));
}

const readings: readonly VersionReading[] = (['semver', 'python', 'maven'] as const).flatMap((prerelease) =>
  (['.', '_', '-'] as const).map((separator) => ({ parts: 1, prerelease, separator })),
);

/** Orders lists of numbers as versions; a missing number is 0. */
export function compareNumbers(a: readonly number[], b: readonly number[]): number {
  for (let index = 0; index < Math.max(a.length, b.length); index++) {
    const difference = (a[index] ?? 0) - (b[index] ?? 0);
    if (difference !== 0) return difference;
  }
  return 0;
}
