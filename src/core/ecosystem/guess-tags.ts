import {
  compareNumbers,
  readVersion,
  strictReading,
  type VersionReading,
  versionLike,
} from '../version/loose-version.ts';
import type { Tag, TagPattern } from '../version/tag-pattern.ts';
import { assignTags, defaultTagPattern } from '../version/tag-pattern.ts';
import { isNormal } from '../version/version.ts';
import type { FoundPackage } from './found-package.ts';
import { patternOfClients } from './package-tags.ts';

/** How existing tags are written, and what of them is read. */
export type TagHabit = {
  /** Patterns of each package, in the order of the packages: the first is written, all are read. */
  readonly patterns: readonly (readonly TagPattern[])[];
  /** Last normal version by package; a package without one has no tag yet. */
  readonly last: ReadonlyMap<string, string>;
  /** How many tags are read as versions. */
  readonly count: number;
  /** Tags that look like versions and are read by no pattern, in the order of the tags. */
  readonly unread: readonly string[];
  /** Whether all packages share the tags, which name none of them: they are released together. */
  readonly isShared: boolean;
};

/** What the text before a version says of the package: one of them, only that it is a version, or something else. */
type About =
  | { readonly type: 'named'; readonly owner: number }
  | { readonly type: 'bare' }
  | { readonly type: 'other' };

/** Tags with the same text around the version. */
type Family = {
  readonly read: string;
  readonly about: readonly About[];
  readonly reading: VersionReading;
  readonly tags: readonly string[];
};

/**
 * The patterns that read the version tags of a repository, each with how it reads (docs/design/versions.md, step 2). Every
 * convention that was used is read; the one of the newest tag is written.
 * @param tags oldest first.
 * @returns null when no tag names a version of a package.
 */
export function guessTags(tags: readonly Tag[], packages: readonly FoundPackage[]): TagHabit | null {
  const likes = tags.filter(({ name }) => versionLike(name) !== null);
  const families = familiesOf(likes, packages);
  const isShared = packages.length > 1 && !families.some(isNamed) && isLockstep(packages);
  const age = new Map(tags.map(({ name }, index) => [name, index]));
  const newest = ({ tags: own }: Family) => own.reduce((most, name) => Math.max(most, age.get(name) ?? 0), 0);
  const sorted = families.toSorted((a, b) => newest(b) - newest(a));
  const isSole = packages.length === 1;
  const patterns = packages.map((pkg, index): TagPattern[] => {
    const { folder } = pkg;
    const own = sorted.filter(({ about, tags: members }) =>
      about.some((each) => {
        if (each.type === 'named') return each.owner === index;
        // An older name of the only package counts; a few tags about something else do not.
        if (each.type === 'other') return isSole && members.length * 2 >= likes.length;
        return isSole || isShared || folder === '';
      }),
    );
    const found = own.map(({ read, reading }): TagPattern => ({ ...reading, read }));
    // What names no package cannot be written for one of several.
    const written = found.find((pattern) => isSole || (folder === '' && !isShared) || !isBare(pattern));
    const first = patternOfClients(pkg) ?? written ?? habitOfOthers(sorted) ?? defaultTagPattern(packages.length);
    return [first, ...found.filter((pattern) => pattern !== first)];
  });
  const habit = { patterns, isShared, ...readWith({ tags, likes, packages, patterns, isShared }) };
  return habit.count === 0 ? null : habit;
}

function isBare({ read }: TagPattern): boolean {
  return bareLead.test(read.replace(/\{version\}$/, ''));
}

function isNamed({ about }: Family): boolean {
  return about.some(({ type }) => type === 'named');
}

/** What a package without tags of its own follows: the newest pattern that the others have and that fits it too. */
function habitOfOthers(families: readonly Family[]): TagPattern | null {
  const family = families.find(({ read }) => /\{(?:package|folder)\}/.test(read));
  return family === undefined ? null : { ...family.reading, read: family.read };
}

function readWith({
  tags,
  likes,
  packages,
  patterns,
  isShared,
}: Pick<TagHabit, 'patterns' | 'isShared'> & {
  readonly tags: readonly Tag[];
  readonly likes: readonly Tag[];
  readonly packages: readonly FoundPackage[];
}): Pick<TagHabit, 'last' | 'unread' | 'count'> {
  const owners = packages.map((pkg, index) => ({ ...pkg, tags: patterns[index] ?? [] }));
  const { byOwner } = assignTags(tags, owners, isShared ? [[...packages.keys()]] : []);
  const read = new Set(byOwner.flat().map(({ tag }) => tag));
  const last = new Map(
    packages.flatMap(({ name }, index): [string, string][] => {
      const highest = byOwner[index]?.find(({ version }) => isNormal(version));
      return highest === undefined ? [] : [[name, highest.version]];
    }),
  );
  return { last, count: read.size, unread: likes.flatMap(({ name }) => (read.has(name) ? [] : [name])) };
}

function isLockstep(packages: readonly FoundPackage[]): boolean {
  const versions = new Set(packages.map(({ version }) => version));
  return versions.size === 1 && !versions.has(null);
}

function familiesOf(likes: readonly Tag[], packages: readonly FoundPackage[]): Family[] {
  const names = textsOf(packages);
  type Member = { readonly name: string; readonly version: string; readonly commit: string; readonly about: About };
  const groups = new Map<string, Member[]>();
  for (const { name, commit } of likes) {
    const { prefix, version, about } = templateOf(name, names);
    const group = groups.get(prefix) ?? [];
    groups.set(prefix, group);
    group.push({ name, version, commit, about });
  }
  return [...groups].flatMap(([prefix, members]): Family[] => {
    // Versions of several packages may be equal, so each package's are read apart.
    const owners = [...new Set(members.map(({ about }) => (about.type === 'named' ? about.owner : -1)))];
    const readings = owners.map((owner) =>
      readingOf(members.filter(({ about }) => (about.type === 'named' ? about.owner : -1) === owner)),
    );
    const reading = readings.toSorted((a, b) => looseness(b) - looseness(a))[0] ?? strictReading;
    const tags = members.filter(({ version }) => readVersion(version, reading) !== null).map(({ name }) => name);
    return tags.length === 0
      ? []
      : [{ read: `${prefix}{version}`, about: members.map(({ about }) => about), reading, tags }];
  });
}

function looseness({ parts, prerelease }: VersionReading): number {
  return (3 - parts) * 2 + (prerelease === 'semver' ? 0 : 1);
}

/** Leads that only say that a version follows. */
const bareLead = /^(?:(?:v|ver|version|rel|release|releases|tags?)[-._/]?)*$/i;

type NameText = { readonly text: string; readonly written: string; readonly owner: number };

/** A tag as a pattern in front of a version. */
function templateOf(tag: string, names: readonly NameText[]): { prefix: string; version: string; about: About } {
  for (const { text, written, owner } of names) {
    if (!tag.startsWith(text)) continue;
    const [, gap, version] =
      /^([-_@/.:](?:(?:v|ver|version|rel|release)[-._]?)?)(\d.*)$/is.exec(tag.slice(text.length)) ?? [];
    if (gap !== undefined && version !== undefined)
      return { prefix: `${written}${gap}`, version, about: { type: 'named', owner } };
  }
  const { lead = '', version = tag } = versionLike(tag) ?? {};
  return { prefix: lead, version, about: { type: bareLead.test(lead) ? 'bare' : 'other' } };
}

/** Texts that name a package in a tag, the longest first, with how a pattern writes them. */
function textsOf(packages: readonly FoundPackage[]): NameText[] {
  return packages
    .flatMap(({ name, folder }, owner): NameText[] => {
      const base = folder.split('/').at(-1) ?? '';
      return [
        { text: name, written: '{package}', owner },
        ...(folder === '' ? [] : [{ text: folder, written: '{folder}', owner }]),
        ...(base === '' || base === folder || base === name ? [] : [{ text: base, written: base, owner }]),
      ];
    })
    .toSorted((a, b) => b.text.length - a.text.length);
}

/** How the most versions of a family are read without two of them becoming one. */
function readingOf(versions: readonly TaggedVersion[]): VersionReading {
  const separator = versions.some(({ version }) => /^\d+\./.test(version))
    ? '.'
    : versions.some(({ version }) => /^\d+_\d/.test(version))
      ? '_'
      : '.';
  const pointers = pointersAmong(versions);
  let best: { reading: VersionReading; count: number } = { reading: strictReading, count: -1 };
  for (const prerelease of ['semver', 'python', 'maven'] as const) {
    for (const parts of [3, 2, 1] as const) {
      const reading = { parts, prerelease, separator } as const;
      const count = countRead(versions, pointers, reading);
      if (count > best.count) best = { reading, count };
    }
  }
  return best.reading;
}

type TaggedVersion = { readonly version: string; readonly commit: string };

/** How many are read, or -1 where the reading makes one version of two commits, or a release of a moving pointer. */
function countRead(
  versions: readonly TaggedVersion[],
  pointers: ReadonlySet<TaggedVersion>,
  reading: VersionReading,
): number {
  const at = new Map<string, string>();
  let count = 0;
  for (const tagged of versions) {
    const read = readVersion(tagged.version, reading);
    if (read === null) continue;
    const other = at.get(read);
    if (other !== undefined && other !== tagged.commit && reading.parts < 3) return -1;
    at.set(read, tagged.commit);
    if (!pointers.has(tagged)) count++;
    else if (reading.parts < 3) return -1;
  }
  return count;
}

/** Short tags that only point to a longer one with the same first numbers: `v1` at `v1.4.0`. */
function pointersAmong(versions: readonly TaggedVersion[]): ReadonlySet<TaggedVersion> {
  const byCommit = new Map<string, TaggedVersion[]>();
  for (const tagged of versions) {
    const here = byCommit.get(tagged.commit) ?? [];
    byCommit.set(tagged.commit, here);
    here.push(tagged);
  }
  const numbersOf = ({ version }: TaggedVersion) => versionLike(`v${version}`)?.numbers ?? [];
  return new Set(
    [...byCommit.values()].flatMap((here) =>
      here.filter((tagged) => {
        const own = numbersOf(tagged);
        return here.some((other) => {
          const numbers = numbersOf(other);
          return (
            own.length < numbers.length && own.length < 3 && compareNumbers(numbers.slice(0, own.length), own) === 0
          );
        });
      }),
    ),
  );
}
