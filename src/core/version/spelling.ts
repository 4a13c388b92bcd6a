import { BevelstoneError } from '../error/bevelstone-error.ts';
import { parsePreview } from './preview.ts';
import type { Stream } from './stream.ts';
import { coreOf, prereleaseOf } from './version.ts';

/** The schemes a version is written in. */
export type Scheme = 'semver' | 'python' | 'debian' | 'maven' | 'nuget' | 'rust' | 'four-number' | 'c-header';

/** How each scheme writes one version; a scheme that can't is left out. */
export type Spellings = { readonly [scheme in Scheme]?: string };

type SchemeDefinition = {
  /** The name of its specification. */
  readonly title: string;
  readonly spell: (version: string, stream: Stream) => string;
  /** Whether its only prereleases are alpha, beta and rc. */
  readonly hasFixedStages: boolean;
};

const asItIs = (version: string) => version;

const schemes: Readonly<Record<Scheme, SchemeDefinition>> = {
  semver: { title: 'SemVer', spell: asItIs, hasFixedStages: false },
  python: { title: 'PEP 440', spell: spellPython, hasFixedStages: true },
  debian: { title: 'Debian', spell: (version) => `${spellDebian(version)}-1`, hasFixedStages: false },
  maven: { title: 'Maven', spell: spellMaven, hasFixedStages: true },
  nuget: { title: 'NuGet', spell: asItIs, hasFixedStages: false },
  rust: { title: 'Cargo', spell: asItIs, hasFixedStages: false },
  'four-number': { title: 'four numbers', spell: spellFourNumbers, hasFixedStages: false },
  'c-header': { title: 'C macros', spell: spellMacros, hasFixedStages: false },
};

/** The name of the scheme's specification. */
export function schemeTitle(scheme: Scheme): string {
  return schemes[scheme].title;
}

/** Whether the scheme's only prereleases are alpha, beta and rc. */
export function hasFixedStages(scheme: Scheme): boolean {
  return schemes[scheme].hasFixedStages;
}

/** All spellings that exist for the version. */
export function spellAll(version: string, stream: Stream): Spellings {
  const spelt: { [scheme in Scheme]?: string } = {};
  for (const scheme of Object.keys(schemes) as Scheme[]) {
    try {
      spelt[scheme] = spell(scheme, version, stream);
    } catch (error) {
      if (!(error instanceof BevelstoneError)) throw error;
    }
  }
  return spelt;
}

/** @throws SPELLING_IMPOSSIBLE or STREAM_UNSPELLABLE when the scheme can't express the version in its order. */
export function spell(scheme: Scheme, version: string, stream: Stream): string {
  return schemes[scheme].spell(version, stream);
}

/**
 * Spells a version for Python: `2.0.0a1`, `1.5.0.dev4+3f2c9e1` (PEP 440, "Public version identifiers", "Local version identifiers").
 * @throws STREAM_UNSPELLABLE for an identifier that is neither alpha, beta nor rc and has no `spell`.
 */
function spellPython(version: string, stream: Stream): string {
  const preview = parsePreview(version);
  if (preview !== null)
    return `${preview.core}.dev${preview.commits}+${preview.commit}${version.endsWith('.dirty') ? '.dirty' : ''}`;
  const labelled = labelledParts(version, stream, schemes.python.title);
  if (labelled === null) return version;
  const letters = { alpha: 'a', beta: 'b', rc: 'rc' }[labelled.spell];
  return `${labelled.core}${letters}${labelled.counter}`;
}

/** Spells a version for Maven: `2.0.0-alpha-1`, `1.5.0-SNAPSHOT` (Maven POM reference, "Version Order Specification"). */
function spellMaven(version: string, stream: Stream): string {
  const preview = parsePreview(version);
  if (preview !== null) return `${preview.core}-SNAPSHOT`;
  const labelled = labelledParts(version, stream, schemes.maven.title);
  return labelled === null ? version : `${labelled.core}-${labelled.spell}-${labelled.counter}`;
}

/**
 * Spells a version for Debian, the prerelease behind `~` so that it sorts before its release.
 * @returns upstream version without epoch and revision, e.g. `1.4.0~early.2` (Debian Policy §5.6.12).
 * @throws SPELLING_IMPOSSIBLE for an identifier that would not keep its order there.
 */
function spellDebian(version: string): string {
  const prerelease = prereleaseOf(version);
  if (prerelease === null) return version;
  // Digits inside a word count as a number for Debian but not for SemVer: rc10 and rc9 would change places.
  if (parsePreview(version) === null && !/^[a-z]+\.\d+$/i.test(prerelease)) {
    throw new BevelstoneError('SPELLING_IMPOSSIBLE', {
      message: `${version} cannot be spelt for Debian`,
      why: `its prerelease "${prerelease}" is ordered otherwise there than in SemVer`,
      fix: 'Give the stream an identifier of letters only; the counter follows behind a dot',
    });
  }
  return version.replace('-', '~');
}

/**
 * Spells a version as the four numbers of a binary's version resource: `1.4.0.0`.
 * @throws SPELLING_IMPOSSIBLE for a prerelease, which would look stable, and for numbers beyond 16 bits.
 */
function spellFourNumbers(version: string): string {
  const { major, minor, patch } = coreOf(version);
  if (prereleaseOf(version) === null && Math.max(major, minor, patch) <= 0xffff) return `${major}.${minor}.${patch}.0`;
  throw new BevelstoneError('SPELLING_IMPOSSIBLE', {
    message: `${version} cannot be spelt as four numbers`,
    why: 'the form has no place for a prerelease, and each number must fit 16 bits',
    fix: 'Release a stable version with numbers up to 65535, or leave the four-number field out',
  });
}

/**
 * Spells a version as macros of a C header, under names that a template's own may be matched with. Numbers alone would make
 * a prerelease look stable, so it has a macro of its own; `""` in a stable version.
 */
function spellMacros(version: string): string {
  const { major, minor, patch } = coreOf(version);
  const macros = [
    ['VERSION', `"${version}"`],
    ['VERSION_MAJOR', major],
    ['VERSION_MINOR', minor],
    ['VERSION_PATCH', patch],
    ['VERSION_PRERELEASE', `"${prereleaseOf(version) ?? ''}"`],
  ];
  return macros.map(([name, value]) => `#define ${name} ${value}\n`).join('');
}

function labelledParts(version: string, stream: Stream, title: string) {
  const prerelease = prereleaseOf(version);
  if (prerelease === null) return null;
  const [identifier = '', counter = ''] = prerelease.split('.');
  const own = identifier === 'alpha' || identifier === 'beta' || identifier === 'rc' ? identifier : null;
  const spelling = stream.type === 'labelled' && stream.identifier === identifier ? stream.spell : own;
  if (spelling !== null && /^[^.]+\.\d+$/.test(prerelease))
    return { core: version.split('-')[0], spell: spelling, counter };
  throw new BevelstoneError('STREAM_UNSPELLABLE', {
    message: `${version} cannot be spelt for ${title}`,
    why: `${title} has only alpha, beta and rc, and the stream does not map "${identifier}" to one of them`,
    fix: 'Add `spell: alpha` (or beta, rc) to the stream in bevelstone.yaml',
    where: { file: 'bevelstone.yaml' },
  });
}
