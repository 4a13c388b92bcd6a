import semver from 'semver';
import { BevelstoneError } from '../error/bevelstone-error.ts';
import { counterOf, type Stream } from '../version/stream.ts';
import type { VersionTag } from '../version/tag-pattern.ts';
import { compareVersions, isNormal } from '../version/version.ts';

/** What is known of one package's releases, or which tags git must be asked about first. */
export type LastRelease =
  | { readonly type: 'ask'; readonly tags: readonly string[] }
  | {
      readonly type: 'known';
      readonly last: VersionTag | null;
      readonly lastInSeries: VersionTag | null;
      /** Newer versions that the surveyed commit does not hold. */
      readonly elsewhere: readonly VersionTag[];
    };

/** Tags that were asked about, and whether the surveyed commit holds them. */
export type Reachability = ReadonlyMap<string, boolean>;

/**
 * Finds the last release that the surveyed commit holds, asking about the highest versions first
 * (docs/design/versions.md, steps 3 and 5): a thousand tags cost no more than the few that matter.
 * @param tags of one package, highest first.
 * @throws TAG_AMBIGUOUS when the last version is tagged at two commits.
 */
export function findLastRelease(tags: readonly VersionTag[], stream: Stream, known: Reachability): LastRelease {
  const normal = tags.filter(({ version }) => isNormal(version));
  const allowed =
    stream.type === 'maintained' ? normal.filter(({ version }) => semver.satisfies(version, stream.only)) : normal;
  const inRange = firstReachable(allowed, known);
  // A branch that sets the version begins where the line before it ended.
  const begins = stream.type === 'maintained' && stream.begin !== null && inRange.type === 'found' && !inRange.found;
  const last = begins ? firstReachable(normal, known) : inRange;
  if (last.type === 'ask') return last;
  const lastVersion = last.found?.version ?? null;
  const series =
    stream.type === 'labelled'
      ? tags.filter(
          ({ version }) =>
            counterOf(version, stream.identifier) !== null &&
            (lastVersion === null || compareVersions(version, lastVersion) > 0),
        )
      : [];
  const inSeries = firstReachable(series, known);
  if (inSeries.type === 'ask') return inSeries;
  refuseAmbiguous(last.found, tags);
  refuseAmbiguous(inSeries.found, tags);
  const above = normal.filter(({ version }) => lastVersion === null || compareVersions(version, lastVersion) > 0);
  const elsewhere = above.filter(({ tag }) => known.get(tag) === false);
  return { type: 'known', last: last.found, lastInSeries: inSeries.found, elsewhere };
}

type Search =
  | { readonly type: 'ask'; readonly tags: readonly string[] }
  | { readonly type: 'found'; readonly found: VersionTag | null };

function firstReachable(descending: readonly VersionTag[], known: Reachability): Search {
  for (const [index, candidate] of descending.entries()) {
    const reachable = known.get(candidate.tag);
    if (reachable === true) return { type: 'found', found: candidate };
    // One first, since most often the highest is it and older tags cost git a long walk; then ever more.
    if (reachable === undefined)
      return { type: 'ask', tags: descending.slice(index, index + 1 + index * 3).map(({ tag }) => tag) };
  }
  return { type: 'found', found: null };
}

function refuseAmbiguous(found: VersionTag | null, tags: readonly VersionTag[]): void {
  if (found === null) return;
  const other = tags.find(
    ({ version, commit }) => compareVersions(version, found.version) === 0 && commit !== found.commit,
  );
  if (other === undefined) return;
  throw new BevelstoneError('TAG_AMBIGUOUS', {
    message: `${found.version} has two tags: ${found.tag} and ${other.tag}`,
    why: `they point to ${found.commit.slice(0, 7)} and ${other.commit.slice(0, 7)}; only one can be the release`,
    fix: 'Delete the wrong tag, here and on the remote',
  });
}
