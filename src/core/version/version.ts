import semver from 'semver';
import type { Weight } from './weight.ts';

// SemVer 2.0.0, the suggested pattern of its FAQ.
const strict =
  /^(0|[1-9]\d*)\.(0|[1-9]\d*)\.(0|[1-9]\d*)(?:-((?:0|[1-9]\d*|\d*[a-zA-Z-][0-9a-zA-Z-]*)(?:\.(?:0|[1-9]\d*|\d*[a-zA-Z-][0-9a-zA-Z-]*))*))?(?:\+[0-9a-zA-Z-]+(?:\.[0-9a-zA-Z-]+)*)?$/;

/** The three numbers of a version. */
export type VersionCore = { readonly major: number; readonly minor: number; readonly patch: number };

/** Whether the text is a version of SemVer 2.0.0 to the letter, with numbers up to 2^53-1 and 256 characters at most. */
export function isVersion(text: string): boolean {
  const match = text.length <= 256 ? strict.exec(text) : null;
  if (match === null) return false;
  const numbers = [...match.slice(1, 4), ...(match[4]?.split('.') ?? [])].filter((part) => part && /^\d+$/.test(part));
  return numbers.every((part) => Number.isSafeInteger(Number(part)));
}

/** Whether the text is a range of versions as the npm client's documentation describes them. */
export function isRange(text: string): boolean {
  return semver.validRange(text) !== null;
}

/** Orders two valid versions by SemVer 2.0.0 §11: negative, 0 or positive. */
export function compareVersions(a: string, b: string): number {
  if (!isPlain.test(a) || !isPlain.test(b)) return semver.compare(a, b);
  // Most versions are three numbers, and a history may have thousands of them to sort.
  const [left, right] = [a.split('.'), b.split('.')];
  for (const index of [0, 1, 2]) {
    const difference = Number(left[index]) - Number(right[index]);
    if (difference !== 0) return difference;
  }
  return 0;
}

const isPlain = /^\d+\.\d+\.\d+$/;

/** The highest of the versions, the first of several that differ only in build metadata (SemVer §10); null for none. */
export function highestVersion(versions: Iterable<string>): string | null {
  let highest: string | null = null;
  for (const version of versions) if (highest === null || compareVersions(version, highest) > 0) highest = version;
  return highest;
}

/** Whether a valid version has no prerelease part. */
export function isNormal(version: string): boolean {
  return prereleaseOf(version) === null;
}

/** The prerelease part of a valid version without its hyphen, or null. */
export function prereleaseOf(version: string): string | null {
  return strict.exec(version)?.[4] ?? null;
}

/** The numbers of a valid version. */
export function coreOf(version: string): VersionCore {
  const [, major, minor, patch] = strict.exec(version) ?? [];
  if (patch === undefined) throw new Error(`not a version: ${version}`);
  return { major: Number(major), minor: Number(minor), patch: Number(patch) };
}

/** `1.4.0` of `1.4.0-early.2+x`. */
export function formatCore({ major, minor, patch }: VersionCore): string {
  return `${major}.${minor}.${patch}`;
}

/** Raises the number that the weight names and zeroes those after it; `none` gives the same core. */
export function bump(version: string, weight: Weight): string {
  const { major, minor, patch } = coreOf(version);
  if (weight === 'major') return formatCore({ major: major + 1, minor: 0, patch: 0 });
  if (weight === 'minor') return formatCore({ major, minor: minor + 1, patch: 0 });
  return formatCore({ major, minor, patch: weight === 'patch' ? patch + 1 : patch });
}
