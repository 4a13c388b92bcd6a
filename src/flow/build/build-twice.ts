import path from 'node:path';
import { compareEntries } from '../../core/contents/compare.ts';
import type { ReadEntry } from '../../core/contents/entry.ts';
import { type LikelyCause, likelyCause, remedyFor } from '../../core/contents/likely-cause.ts';
import { formDefinitions } from '../../core/form/definitions.ts';
import { readEntry } from '../../world/archive/read-entry.ts';
import { temporaryFolder } from '../../world/platform.ts';
import { readArtifact } from '../read/read-artifact.ts';
import type { BuiltRelease } from './build-package.ts';

/** One place where two builds of a commit differ. */
export type BuildDifference = {
  readonly package: string;
  readonly artifact: string;
  /** Path of the entry; null when the entries are the same and the archive is not. */
  readonly entry: string | null;
  readonly cause: LikelyCause;
  readonly what: string;
  readonly fix: string;
};

/** Compares the artifacts of two builds entry by entry. @returns nothing when every file has the same bytes. */
export async function compareReleases(release: BuiltRelease, other: BuiltRelease): Promise<BuildDifference[]> {
  const differences: BuildDifference[] = [];
  for (const { file, sha256, form } of release.artifacts) {
    const twin = other.artifacts.find((artifact) => artifact.file === file);
    const base = { package: release.package, artifact: file };
    if (twin === undefined)
      differences.push({ ...base, ...described(null, 'unknown', 'only the first build made it') });
    else if (twin.sha256 !== sha256 && formDefinitions[form].isLoose)
      differences.push({ ...base, ...described(null, 'unknown', 'its content differs') });
    else if (twin.sha256 !== sha256)
      differences.push(...(await compareFiles(path.join(release.folder, file), path.join(other.folder, file), base)));
  }
  return differences;
}

type Base = Pick<BuildDifference, 'package' | 'artifact'>;

async function compareFiles(first: string, second: string, base: Base): Promise<BuildDifference[]> {
  const [before, after] = [await readArtifact(first), await readArtifact(second)];
  const { added, removed, changed } = compareEntries(before.entries, after.entries);
  const found = [
    ...removed.map(({ path: entry }) => ({ ...base, ...described(entry, 'unknown', 'only in the first build') })),
    ...added.map(({ path: entry }) => ({ ...base, ...described(entry, 'unknown', 'only in the second build') })),
  ];
  for (const { path: entry, what } of changed) {
    const cause = what.includes('content') ? await causeOf(first, second, entry) : 'unknown';
    found.push({ ...base, ...described(entry, cause, what.join(', ')) });
  }
  return found.length > 0 ? found : [{ ...base, ...headerDifference(before.entries, after.entries) }];
}

/** The same entries in different archives: their headers differ, or their order. */
function headerDifference(
  before: readonly ReadEntry[],
  after: readonly ReadEntry[],
): Omit<BuildDifference, keyof Base> {
  for (const [index, value] of before.entries()) {
    const other = after[index];
    if (other?.path !== value.path) return described(value.path, 'order', 'the entries stand in another order');
    if (other.mtime !== value.mtime) return described(value.path, 'time', 'the entry has another time');
    if (other.owner !== value.owner) return described(value.path, 'owner', 'the entry has another owner');
  }
  return described(null, 'unknown', 'the same entries are packed otherwise');
}

async function causeOf(first: string, second: string, entry: string): Promise<LikelyCause> {
  const [before, after] = [await readEntry(first, entry), await readEntry(second, entry)];
  // Checkouts lie below the temporary folder under names of their own.
  const places = [path.join(temporaryFolder(), 'bevelstone-')];
  return likelyCause({ before: { bytes: before, places }, after: { bytes: after, places } });
}

function described(entry: string | null, cause: LikelyCause, what: string): Omit<BuildDifference, keyof Base> {
  const named = cause === 'unknown' ? what : `${what}; its likely cause is ${cause}`;
  return { entry, cause, what: named, fix: remedyFor(cause) };
}
