import { readVersion, strictReading, type VersionReading } from './loose-version.ts';
import { compareVersions } from './version.ts';

/** A pattern of tags: `read` with its placeholders, and how the version in it is written. */
export type TagPattern = VersionReading & { readonly read: string };

/** The pattern of a workspace that names none. */
export function defaultTagPattern(packages: number): TagPattern {
  return { ...strictReading, read: packages === 1 ? 'v{version}' : '{package}/{version}' };
}

/** What a tag pattern is filled with. */
export type TagOwner = { readonly name: string; readonly folder: string; readonly tags: readonly TagPattern[] };

/** A tag of the repository, peeled to its commit. */
export type Tag = { readonly name: string; readonly commit: string };

/** A tag that names a version of a package. */
export type VersionTag = { readonly version: string; readonly tag: string; readonly commit: string };

/** A tag that is not read, and why. */
export type IgnoredTag = { readonly tag: string; readonly why: string };

/** The version tags of each package, highest first, in the order of the owners, and the tags that are not read. */
export type AssignedTags = {
  readonly byOwner: readonly (readonly VersionTag[])[];
  /** Tags that fit a pattern, but not its version. */
  readonly ignored: readonly IgnoredTag[];
  /** Tags that fit no pattern. */
  readonly unclaimed: readonly Tag[];
  readonly claimedTwice: readonly { readonly tag: string; readonly owners: readonly string[] }[];
};

type Pattern = {
  readonly owner: number;
  readonly prefix: string;
  readonly expression: RegExp;
  readonly reading: TagPattern;
};

/**
 * Gives each tag to the package whose pattern matches the whole name; the longest literal prefix wins
 * (docs/design/versions.md, step 2). A tag that fits a pattern without being a version as the pattern reads it is not read.
 * @param groups owners that share one version: they may share a tag, too.
 */
export function assignTags(
  tags: readonly Tag[],
  owners: readonly TagOwner[],
  groups: readonly (readonly number[])[] = [],
): AssignedTags {
  const patterns = indexOf(
    owners.flatMap((owner, index) => owner.tags.map((pattern) => compile(pattern, owner, index))),
  );
  const byOwner: VersionTag[][] = owners.map(() => []);
  const ignored: IgnoredTag[] = [];
  const unclaimed: Tag[] = [];
  const claimedTwice: { tag: string; owners: string[] }[] = [];
  for (const tag of tags) {
    const best = claims(tag.name, patterns);
    const distinct = [...new Set(best.map(({ owner }) => owner))];
    // Several patterns of one package may begin alike and differ in how they read.
    const first = best.find(({ version }) => version !== null) ?? best[0];
    if (first === undefined) {
      unclaimed.push(tag);
      continue;
    }
    const isShared = groups.some((group) => distinct.every((owner) => group.includes(owner)));
    if (distinct.length > 1 && !isShared) {
      claimedTwice.push({ tag: tag.name, owners: distinct.map((owner) => owners[owner]?.name ?? '') });
    } else if (first.version === null) {
      ignored.push({ tag: tag.name, why: whyNotRead(first.reading) });
    } else {
      const read = { version: first.version, tag: tag.name, commit: tag.commit };
      for (const owner of distinct) byOwner[owner]?.push(read);
    }
  }
  for (const own of byOwner) own.sort((a, b) => compareVersions(b.version, a.version));
  return { byOwner, ignored, unclaimed, claimedTwice };
}

/** Whether a pattern reads nothing but SemVer. */
export function isStrictPattern(pattern: TagPattern): boolean {
  return (Object.keys(strictReading) as (keyof VersionReading)[]).every((key) => pattern[key] === strictReading[key]);
}

/** Patterns as bevelstone.yaml has them: a text, or in YAML's flow style. */
export function formatTagPatterns(patterns: readonly TagPattern[]): string {
  const items = patterns.map(({ read, ...reading }) => {
    const other = (Object.keys(strictReading) as (keyof VersionReading)[]).filter(
      (key) => reading[key] !== strictReading[key],
    );
    const text = JSON.stringify(read);
    if (other.length === 0) return text;
    const shown = other.map((key) => `${key}: ${key === 'separator' ? JSON.stringify(reading[key]) : reading[key]}`);
    return `{ read: ${text}, ${shown.join(', ')} }`;
  });
  return items.length === 1 && patterns.length === 1 && items[0]?.startsWith('"') ? items[0] : `[${items.join(', ')}]`;
}

/** The tag that a release gets: the first pattern, filled in with all three numbers. */
export function formatTag(owner: TagOwner, version: string): string {
  const [pattern] = owner.tags;
  if (pattern === undefined) throw new Error(`${owner.name} has no tag pattern`);
  const [core = '', ...rest] = version.split(/(?=[-+])/);
  const written = core.replaceAll('.', pattern.separator) + rest.join('');
  return fillOwner(pattern.read, owner)
    .replaceAll('{major}', core.split('.')[0] ?? '')
    .replaceAll('{version}', written);
}

function whyNotRead({ parts, prerelease }: VersionReading): string {
  if (parts === 3 && prerelease === 'semver') return 'not a SemVer version: expected MAJOR.MINOR.PATCH';
  return `not a version as its pattern reads it: expected ${['MAJOR', 'MINOR', 'PATCH'].slice(0, parts).join('.')} at least`;
}

type Claim = { readonly owner: number; readonly version: string | null; readonly reading: TagPattern };

/** Patterns by what each tag that they match begins with. */
type PatternIndex = {
  readonly byPrefix: ReadonlyMap<string, readonly Pattern[]>;
  /** The lengths of the prefixes, the longest first. */
  readonly lengths: readonly number[];
};

function indexOf(patterns: readonly Pattern[]): PatternIndex {
  const byPrefix = new Map<string, Pattern[]>();
  for (const pattern of patterns) {
    const same = byPrefix.get(pattern.prefix) ?? [];
    byPrefix.set(pattern.prefix, same);
    same.push(pattern);
  }
  const lengths = new Set([...byPrefix.keys()].map((prefix) => prefix.length));
  return { byPrefix, lengths: [...lengths].sort((a, b) => b - a) };
}

/** What the patterns with the longest prefix say of a tag. */
function claims(name: string, { byPrefix, lengths }: PatternIndex): Claim[] {
  for (const length of lengths) {
    if (length > name.length) continue;
    const found = (byPrefix.get(name.slice(0, length)) ?? []).flatMap((pattern) => claimOf(name, pattern));
    if (found.length > 0) return found;
  }
  return [];
}

function claimOf(name: string, { owner, expression, reading }: Pattern): Claim[] {
  const groups = expression.exec(name)?.groups;
  if (groups === undefined) return [];
  const major = groups['major'];
  const read = readVersion(groups['version'] ?? '', reading);
  const version = read !== null && (major === undefined || read.startsWith(`${major}.`)) ? read : null;
  return [{ owner, version, reading }];
}

function compile(pattern: TagPattern, owner: TagOwner, index: number): Pattern {
  const filled = fillOwner(pattern.read, owner);
  const seen = new Set<string>();
  const expression = filled.replace(/\{(version|major)\}|[^{]+|\{/g, (part, placeholder: string | undefined) => {
    if (placeholder === undefined) return part.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
    if (seen.has(placeholder)) return `\\k<${placeholder}>`;
    seen.add(placeholder);
    return placeholder === 'version' ? '(?<version>.+)' : '(?<major>\\d+)';
  });
  return {
    owner: index,
    prefix: filled.split(/\{(?:version|major)\}/)[0] ?? '',
    expression: new RegExp(`^${expression}$`, 's'),
    reading: pattern,
  };
}

function fillOwner(pattern: string, owner: TagOwner): string {
  return pattern.replaceAll('{package}', owner.name).replaceAll('{folder}', owner.folder);
}
