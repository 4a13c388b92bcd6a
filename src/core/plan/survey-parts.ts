import type { PackageConfig } from '../config/config.ts';
import { ecosystemDefinitions } from '../ecosystem/definitions.ts';
import type { ChangeList } from '../history/change.ts';
import type { PackageChanges } from '../history/count-changes.ts';
import { type DependencyEdge, leavesPrerelease } from '../history/dependency.ts';
import type { NextVersion } from '../history/next-version.ts';
import type { PackageManifest } from '../manifest/package-manifest.ts';
import type { Ecosystem } from '../name/ecosystem.ts';
import { type Spellings, spell, spellAll } from '../version/spelling.ts';
import type { Stream } from '../version/stream.ts';
import type { VersionTag } from '../version/tag-pattern.ts';
import { compareVersions, isVersion } from '../version/version.ts';
import type { Weight } from '../version/weight.ts';

/** A package as the workspace lists it. */
export type ListedPackage = {
  readonly name: string;
  /** The name that manifests of other packages have it under. */
  readonly fullName: string;
  /** '' for the root. */
  readonly folder: string;
  readonly ecosystem: Ecosystem;
  readonly manifest: PackageManifest | null;
  readonly config: Pick<PackageConfig, 're-exports'>;
};

/** What git and the tags say of a package's releases. */
export type ReleaseHistory = {
  readonly last: VersionTag | null;
  /** The last release of the stream's own series. */
  readonly lastInSeries: VersionTag | null;
  /** Higher versions on other lines. */
  readonly elsewhere: readonly VersionTag[];
};

/** A package with its releases and changes: everything that its next version depends on. */
export type PackageHistory<Package extends ListedPackage> = {
  readonly own: Package;
  /** All its version tags, reachable or not. */
  readonly tags: readonly VersionTag[];
  readonly release: ReleaseHistory;
  readonly counted: PackageChanges;
  /** The version that the surveyed commit itself is tagged with. */
  readonly here: VersionTag | null;
};

/** What is known of a package before its changes are counted. */
export type KnownPackage<Package extends ListedPackage> = Omit<PackageHistory<Package>, 'counted'>;

/**
 * Joins answers that were asked for all packages at once with their packages.
 * @param answers each in the order of the packages. Of `here`, the highest version counts.
 */
export function joinByOwner<Package extends ListedPackage>(
  packages: readonly Package[],
  answers: {
    readonly tags: readonly (readonly VersionTag[])[];
    readonly releases: readonly ReleaseHistory[];
    readonly here: readonly (readonly VersionTag[])[];
  },
): KnownPackage<Package>[] {
  return packages.map((own, index) => {
    const [tags, release, here] = [answers.tags[index], answers.releases[index], answers.here[index]];
    if (tags === undefined || release === undefined || here === undefined) throw new Error(`no answer for ${own.name}`);
    return { own, tags, release, here: here[0] ?? null };
  });
}

/** Adds the changes, which are in the order of the packages. */
export function joinChanges<Package extends ListedPackage>(
  known: readonly KnownPackage<Package>[],
  counted: readonly PackageChanges[],
): PackageHistory<Package>[] {
  return known.map((pkg, index) => {
    const changes = counted[index];
    if (changes === undefined) throw new Error(`no changes for ${pkg.own.name}`);
    return { ...pkg, counted: changes };
  });
}

/** Edges between packages of the workspace, from the manifests that are read. Packages by their place in the list. */
export function dependencyEdges(
  packages: readonly { readonly own: ListedPackage; readonly release: ReleaseHistory }[],
): DependencyEdge[] {
  // A name belongs to an ecosystem: two registries may each have a package of that name.
  const keyOf = (ecosystem: Ecosystem, name: string) => `${ecosystem} ${name}`;
  const byName = new Map(packages.map(({ own }, index) => [keyOf(own.ecosystem, own.fullName), index]));
  return packages.flatMap(({ own }, from) =>
    (own.manifest?.dependencies ?? []).flatMap(({ name, range, kind }): DependencyEdge[] => {
      const to = byName.get(keyOf(own.ecosystem, name));
      if (to === undefined || to === from) return [];
      const last = packages[to]?.release.last?.version ?? null;
      const isReExported = own.config['re-exports'].includes(name);
      const { takes } = ecosystemDefinitions[own.ecosystem].ranges;
      const accepts = (version: string) => takes(range, last, version);
      return [
        {
          from,
          to,
          kind,
          range,
          isReExported,
          accepts,
          takes: (version) => accepts(version) && !leavesPrerelease(range, version),
        },
      ];
    }),
  );
}

/** Places of the packages that share one version. A package that the commit does not have yet is in no group. */
export function groupIndexes(
  together: readonly (readonly string[])[],
  packages: readonly { readonly name: string }[],
): number[][] {
  const indexes = together.map((names) => names.map((name) => packages.findIndex((pkg) => pkg.name === name)));
  return indexes.map((group) => group.filter((index) => index !== -1));
}

/** Whether a package is part of the answer: one that was asked for brings its whole group. */
export function isShown(
  index: number,
  selected: ReadonlySet<number> | null,
  groups: readonly (readonly number[])[],
): boolean {
  if (selected === null || selected.has(index)) return true;
  return groups.some((group) => group.includes(index) && group.some((member) => selected.has(member)));
}

/** One package of a survey. */
export type SurveyedPackage<Package extends ListedPackage = ListedPackage> = {
  /** The package as the workspace lists it. */
  readonly own: Package;
  readonly name: string;
  readonly folder: string;
  readonly ecosystem: Ecosystem;
  readonly stream: string;
  readonly last: VersionTag | null;
  readonly lastInSeries: VersionTag | null;
  readonly next: string | null;
  readonly weight: Weight;
  /** Whether the weights of its changes count for less, since its last version is below 1.0.0. */
  readonly isShifted: boolean;
  readonly reasons: readonly string[];
  /** What the maintainer says why (`--because`); null without. */
  readonly because: string | null;
  readonly spellings: Spellings;
  readonly changes: ChangeList;
  /** The version that the surveyed commit itself is tagged with. */
  readonly here: VersionTag | null;
};

/**
 * Joins what is known of a package with its next version.
 * @throws SPELLING_IMPOSSIBLE, STREAM_UNSPELLABLE for a version that its ecosystem cannot write: now, not when it is built.
 */
export function surveyedPackage<Package extends ListedPackage>(
  { own, release, counted, here }: PackageHistory<Package>,
  { next, weight, isShifted, reasons, because }: NextVersion,
  stream: Stream,
): SurveyedPackage<Package> {
  if (next !== null) spell(ecosystemDefinitions[own.ecosystem].scheme, next, stream);
  return {
    own,
    name: own.name,
    folder: own.folder === '' ? '.' : own.folder,
    ecosystem: own.ecosystem,
    stream: stream.name,
    last: release.last,
    lastInSeries: release.lastInSeries,
    next,
    weight,
    isShifted,
    reasons,
    because,
    spellings: next === null ? {} : spellAll(next, stream),
    changes: counted.changes,
    here,
  };
}

/** Tags alone say what was released; manifests that say otherwise are worth a line, those that are ahead one each. */
export function manifestNotes(surveyed: readonly SurveyedPackage[]): string[] {
  const ahead: string[] = [];
  const others: string[] = [];
  for (const { own, name, last, lastInSeries, next } of surveyed) {
    const written = own.manifest?.version ?? null;
    if (written === null || last === null || written === last.version || written === lastInSeries?.version) continue;
    if (/^0\.0\.0(-|$)/.test(written)) continue;
    if (isVersion(written) && compareVersions(written, next ?? last.version) > 0)
      ahead.push(
        `${name}: the manifest says ${written}, ahead of what would be released; the last tag is ${last.version}`,
      );
    else others.push(`${name} ${written} (tag ${last.version})`);
  }
  if (others.length === 0) return ahead;
  const named = others.slice(0, 3).join(', ') + (others.length > 3 ? ` and ${others.length - 3} more` : '');
  return [...ahead, `the manifest says otherwise than the last tag, which counts: ${named}`];
}

/** A line about releases that are not in the surveyed commit; null when there are none. */
export function elsewhereNote({ own, release }: Pick<PackageHistory<ListedPackage>, 'own' | 'release'>): string | null {
  const tags = release.elsewhere.map(({ tag }) => tag);
  if (tags.length === 0) return null;
  return `${own.name}: ${tags.join(', ')} ${tags.length === 1 ? 'is' : 'are'} on another line, not in this commit`;
}
