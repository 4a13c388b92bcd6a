import { compareNumbers, versionLike } from '../version/loose-version.ts';
import type { Tag, VersionTag } from '../version/tag-pattern.ts';
import { coreOf } from '../version/version.ts';

/** A version that a first release must not be below, and what says so. */
export type Floor = {
  readonly numbers: readonly number[];
  /** As it is written there: a tag, or the version in a file. */
  readonly text: string;
  readonly at:
    | { readonly type: 'unread-tag' }
    /** A prerelease, or a release of another branch. */
    | { readonly type: 'own-tag' }
    | { readonly type: 'file'; readonly file: string };
};

/**
 * Tags that look like versions of a package although none of its patterns reads them (docs/design/versions.md, step 15).
 * @param unread tags that no package reads as a version.
 * @param names of all packages: a tag that names another one is not about this one.
 */
export function tagFloors(unread: readonly Pick<Tag, 'name'>[], name: string, names: readonly string[]): Floor[] {
  const others = names.filter((other) => other !== name && !name.startsWith(other));
  return unread.flatMap(({ name: text }): Floor[] => {
    const like = versionLike(text);
    if (like === null || others.some((other) => text.startsWith(other) && !text.startsWith(name))) return [];
    return [{ numbers: like.numbers, text, at: { type: 'unread-tag' } }];
  });
}

/** The package's own tags, none of which is the last release: prereleases, and versions of other branches. */
export function ownFloors(tags: readonly VersionTag[]): Floor[] {
  return tags.map(({ version, tag }) => ({ numbers: numbersOf(version), text: tag, at: { type: 'own-tag' } }));
}

/** A version that a file of the package has. */
export function fileFloors(version: string, file: string): Floor[] {
  const like = versionLike(`v${version}`);
  return like === null ? [] : [{ numbers: like.numbers, text: version, at: { type: 'file', file } }];
}

/** The floors that are above a version, the highest first. */
export function floorsAbove(floors: readonly Floor[], version: string): Floor[] {
  const numbers = numbersOf(version);
  return floors
    .filter((floor) => compareNumbers(floor.numbers, numbers) > 0)
    .toSorted((a, b) => compareNumbers(b.numbers, a.numbers));
}

function numbersOf(version: string): number[] {
  const { major, minor, patch } = coreOf(version);
  return [major, minor, patch];
}
