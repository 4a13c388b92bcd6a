import semver from 'semver';
import { BevelstoneError } from '../error/bevelstone-error.ts';
import { isVersion, prereleaseOf } from './version.ts';

/** How a prerelease identifier is written where only a few words are known. */
export type PrereleaseSpelling = 'alpha' | 'beta' | 'rc';

/** A named way out of a branch, its placeholders filled in. */
export type Stream =
  | { readonly type: 'stable'; readonly name: string }
  | {
      readonly type: 'maintained';
      readonly name: string;
      readonly only: string;
      readonly branch: string;
      /** The version of the first release inside `only`, where the branch gives one. */
      readonly begin: string | null;
    }
  | {
      readonly type: 'labelled';
      readonly name: string;
      readonly identifier: string;
      readonly spell: PrereleaseSpelling | null;
      readonly count: 'releases' | 'commits';
    }
  | { readonly type: 'preview'; readonly name: string; readonly label: string };

/** A stream as bevelstone.yaml has it. */
export type StreamConfig = {
  readonly from: string | readonly string[];
  readonly only?: string;
  /** Taken from the branch's name: the first version there, and the range of those after it. */
  readonly version?: string;
  readonly identifier?: string;
  readonly spell?: PrereleaseSpelling;
  readonly count?: 'releases' | 'commits';
  readonly preview?: boolean;
};

/**
 * The stream of a branch: the one named, else the first whose `from` matches (docs/design/versions.md, step 4).
 * A commit on no branch gives a preview version.
 * @throws STREAM_NOT_FOUND when none is so named or none matches; CONFIG_INVALID when `only` is not a range, or `version` not a version.
 */
export function chooseStream(
  streams: Readonly<Record<string, StreamConfig>>,
  branch: string | null,
  named: string | null,
): Stream {
  if (named !== null) {
    const config = streams[named];
    if (config === undefined) throw unknownStream(named, Object.keys(streams));
    return fill({
      name: named,
      config,
      branch,
      captured: branch === null ? [] : (captures(config.from, branch) ?? []),
    });
  }
  if (branch === null) return { type: 'preview', name: 'preview', label: 'detached' };
  for (const [name, config] of Object.entries(streams)) {
    const captured = captures(config.from, branch);
    if (captured !== null) return fill({ name, config, branch, captured });
  }
  throw new BevelstoneError('STREAM_NOT_FOUND', {
    message: `no stream matches the branch ${branch}`,
    why: 'the `from` of no entry of `streams` matches it',
    fix: 'Add a stream for it to bevelstone.yaml, or name one with --stream',
  });
}

/** The pointer that a stream moves at a registry; `latest` is decided apart, it is for stable versions only. */
export function pointerOf(stream: Stream): string {
  if (stream.type === 'maintained') return stream.branch.replaceAll('/', '-');
  return stream.name;
}

/** Whether the version has the shape that the stream gives. */
export function fitsStream(version: string, stream: Stream): boolean {
  const prerelease = prereleaseOf(version);
  if (stream.type === 'stable') return prerelease === null;
  if (stream.type === 'maintained') return prerelease === null && semver.satisfies(version, stream.only);
  if (stream.type === 'labelled') return prerelease !== null && counterOf(version, stream.identifier) !== null;
  return prerelease?.startsWith('0.preview.') ?? false;
}

/** N of `X.Y.Z-IDENTIFIER.N`, or null when the version has another shape. */
export function counterOf(version: string, identifier: string): number | null {
  const [first, counter, ...rest] = prereleaseOf(version)?.split('.') ?? [];
  if (first !== identifier || counter === undefined || rest.length > 0 || !/^\d+$/.test(counter)) return null;
  return Number(counter);
}

/**
 * The label of a preview version: the branch in lower case, anything but digits and letters as one hyphen,
 * 40 characters at most, never empty and never beginning with a digit (docs/design/versions.md, step 21).
 */
export function previewLabel(branch: string): string {
  const trim = (text: string) => text.replace(/^-+|-+$/g, '');
  const label = trim(trim(branch.toLowerCase().replace(/[^0-9a-z]+/g, '-')).slice(0, 40));
  return label === '' || /^\d/.test(label) ? `b-${label}` : label;
}

function fill({
  name,
  config,
  branch,
  captured,
}: {
  readonly name: string;
  readonly config: StreamConfig;
  readonly branch: string | null;
  readonly captured: readonly string[];
}): Stream {
  if (config.preview === true)
    return { type: 'preview', name, label: branch === null ? 'detached' : previewLabel(branch) };
  if (config.identifier !== undefined) {
    const spell = config.spell ?? (isSpelling(config.identifier) ? config.identifier : null);
    return { type: 'labelled', name, identifier: config.identifier, spell, count: config.count ?? 'releases' };
  }
  const filled = (text: string) => text.replace(/\{(\d)\}/g, (_, digit: string) => captured[Number(digit) - 1] ?? '');
  if (config.version !== undefined) {
    const only = filled(config.version);
    return { type: 'maintained', name, only, branch: branch ?? name, begin: beginOf(only, name, branch) };
  }
  if (config.only === undefined) return { type: 'stable', name };
  const only = filled(config.only);
  if (only === '' || semver.validRange(only) === null) {
    throw new BevelstoneError('CONFIG_INVALID', {
      message: `the stream ${name} takes only "${only}", which is not a version range`,
      why: `it is what \`only: ${config.only}\` gives for the branch ${branch ?? '(none)'}`,
      fix: 'Name the branch after a range, such as line/1.x or line/1.4, or write the range into `only`',
      where: { file: 'bevelstone.yaml' },
    });
  }
  return { type: 'maintained', name, only, branch: branch ?? name, begin: null };
}

/** The version that a branch is named after; missing numbers are 0. */
function beginOf(text: string, stream: string, branch: string | null): string {
  const [, ...numbers] = /^v?(\d+)(?:\.(\d+|x|\*))?(?:\.(\d+|x|\*))?$/.exec(text) ?? [];
  const version = [0, 1, 2].map((index) => (/^\d+$/.test(numbers[index] ?? '') ? numbers[index] : '0')).join('.');
  if (numbers.length > 0 && isVersion(version)) return version;
  throw new BevelstoneError('CONFIG_INVALID', {
    message: `the stream ${stream} gets its version from the branch ${branch ?? '(none)'}, but "${text}" is not one`,
    why: 'expected one to three numbers, such as 2.4 or 2.x',
    fix: 'Name the branch after a version, such as coming/2.4, or correct `from` and `version` of the stream',
    where: { file: 'bevelstone.yaml' },
  });
}

function captures(from: string | readonly string[], branch: string): string[] | null {
  for (const pattern of typeof from === 'string' ? [from] : from) {
    const expression = pattern
      .split('*')
      .map((part) => part.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'))
      .join('(.*)');
    const match = new RegExp(`^${expression}$`, 's').exec(branch);
    if (match !== null) return match.slice(1);
  }
  return null;
}

function isSpelling(text: string): text is PrereleaseSpelling {
  return text === 'alpha' || text === 'beta' || text === 'rc';
}

function unknownStream(name: string, known: readonly string[]): BevelstoneError {
  return new BevelstoneError('STREAM_NOT_FOUND', {
    message: `unknown stream "${name}"`,
    why: `bevelstone.yaml knows ${known.join(', ')}`,
    fix: 'Name one of these with --stream, or add it to `streams`',
  });
}
