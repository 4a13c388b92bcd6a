import { compareVersions, isVersion } from './version.ts';

/** What a tag pattern is filled with. */
export type TagOwner = { readonly name: string; readonly folder: string; readonly tags: readonly string[] };

/** A tag of the repository, peeled to its commit. */
export type Tag = { readonly name: string; readonly commit: string };

/** A tag that names a version of a package. */
export type VersionTag = { readonly version: string; readonly tag: string; readonly commit: string };

/** A tag that is not read, and why. */
export type IgnoredTag = { readonly tag: string; readonly why: string };

/** The version tags of each package, highest first, in the order of the owners, and the tags that are not read. */
export type AssignedTags = {
  readonly byOwner: readonly (readonly VersionTag[])[];
  readonly ignored: readonly IgnoredTag[];
  readonly claimedTwice: readonly { readonly tag: string; readonly owners: readonly string[] }[];
};

type Pattern = { readonly owner: number; readonly prefix: string; readonly expression: RegExp };

/**
 * Gives each tag to the package whose pattern matches the whole name; the longest literal prefix wins
 * (docs/design/versions.md, step 2). A tag that fits a pattern without being a strict version is not read.
 */
export function assignTags(tags: readonly Tag[], owners: readonly TagOwner[]): AssignedTags {
  const patterns = owners.flatMap((owner, index) => owner.tags.map((pattern) => compile(pattern, owner, index)));
  const byOwner: VersionTag[][] = owners.map(() => []);
  const ignored: IgnoredTag[] = [];
  const claimedTwice: { tag: string; owners: string[] }[] = [];
  for (const tag of tags) {
    const best = claims(tag.name, patterns);
    const distinct = [...new Set(best.map(({ owner }) => owner))];
    const first = best[0];
    if (first === undefined) continue;
    if (distinct.length > 1) {
      claimedTwice.push({ tag: tag.name, owners: distinct.map((owner) => owners[owner]?.name ?? '') });
    } else if (first.version === null) {
      ignored.push({ tag: tag.name, why: 'not a SemVer version: expected MAJOR.MINOR.PATCH' });
    } else {
      byOwner[first.owner]?.push({ version: first.version, tag: tag.name, commit: tag.commit });
    }
  }
  for (const own of byOwner) own.sort((a, b) => compareVersions(b.version, a.version));
  return { byOwner, ignored, claimedTwice };
}

/** The tag that a release gets: the first pattern, filled in. */
export function formatTag(owner: TagOwner, version: string): string {
  const major = version.split('.')[0] ?? '';
  return fillOwner(owner.tags[0] ?? '{version}', owner)
    .replaceAll('{major}', major)
    .replaceAll('{version}', version);
}

function claims(name: string, patterns: readonly Pattern[]): { owner: number; version: string | null }[] {
  let longest = -1;
  let best: { owner: number; version: string | null }[] = [];
  for (const { owner, prefix, expression } of patterns) {
    if (prefix.length < longest || !name.startsWith(prefix)) continue;
    const groups = expression.exec(name)?.groups;
    if (groups === undefined) continue;
    const text = groups['version'] ?? '';
    const major = groups['major'];
    const version = isVersion(text) && (major === undefined || text.startsWith(`${major}.`)) ? text : null;
    if (prefix.length > longest) best = [];
    longest = prefix.length;
    best.push({ owner, version });
  }
  return best;
}

function compile(pattern: string, owner: TagOwner, index: number): Pattern {
  const filled = fillOwner(pattern, owner);
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
  };
}

function fillOwner(pattern: string, owner: TagOwner): string {
  return pattern.replaceAll('{package}', owner.name).replaceAll('{folder}', owner.folder);
}
