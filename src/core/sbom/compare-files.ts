import type { Sbom, SbomFile, SbomPackage } from './sbom.ts';

/** How the files of an SBOM and of what it is about differ. */
export type FileDifferences = {
  readonly missing: readonly string[];
  readonly extra: readonly string[];
  readonly altered: readonly string[];
};

/**
 * Compares the files that an SBOM names with those that are there.
 * @param fileName of the artifact, so that an SBOM of several is compared by its part; null for a folder, which is one that
 * holds the artifacts themselves, or one into which an artifact was unpacked: the one whose files it has most of.
 * @returns null when the SBOM names no files of it.
 */
export function compareFiles(sbom: Sbom, fileName: string | null, files: readonly SbomFile[]): FileDifferences | null {
  const there = new Map(files.map((file) => [file.path, file]));
  const archives = sbom.packages.filter((pkg) => pkg.fileName !== null && pkg.digests.length > 0);
  if (fileName === null && archives.some((pkg) => there.has(pkg.fileName ?? '')))
    return compareArchives(archives, there);
  const holding = sbom.packages.filter((pkg) => pkg.files !== null && pkg.files.length > 0);
  const named =
    holding.find((pkg) => fileName !== null && pkg.fileName === fileName) ??
    (holding.length === 1 ? holding[0] : fileName === null ? closest(holding, there) : undefined);
  if (named === undefined) return null;
  const listed = new Map((named.files ?? []).map((file) => [file.path, file]));
  return {
    missing: [...listed.keys()].filter((path) => !there.has(path)).sort(),
    extra: [...there.keys()].filter((path) => !listed.has(path)).sort(),
    altered: [...listed.values()].flatMap((file) => {
      const other = there.get(file.path);
      return other === undefined || isSame(file, other) ? [] : [file.path];
    }),
  };
}

/** Artifacts as files of a folder; what else lies beside them is not theirs. */
function compareArchives(archives: readonly SbomPackage[], there: ReadonlyMap<string, SbomFile>): FileDifferences {
  const digest = ({ digests }: SbomPackage, algorithm: string) =>
    digests.find((each) => each.algorithm === algorithm)?.value ?? '';
  const names = archives.map(({ fileName }) => fileName ?? '');
  const altered = archives.filter((pkg) => {
    const file = there.get(pkg.fileName ?? '');
    if (file === undefined) return false;
    return !isSame({ ...file, sha1: digest(pkg, 'SHA-1'), sha256: digest(pkg, 'SHA-256') }, file);
  });
  return {
    missing: names.filter((name) => !there.has(name)).sort(),
    extra: [],
    altered: altered.map(({ fileName }) => fileName ?? '').sort(),
  };
}

/** The package that most files of a folder belong to; undefined when none has any. */
function closest(holding: readonly SbomPackage[], there: ReadonlyMap<string, SbomFile>): SbomPackage | undefined {
  const counts = holding.map((pkg) => (pkg.files ?? []).filter(({ path }) => there.has(path)).length);
  const most = Math.max(0, ...counts);
  return most === 0 ? undefined : holding[counts.indexOf(most)];
}

/** By the strongest digest that both have. */
function isSame(a: SbomFile, b: SbomFile): boolean {
  if (a.sha256 !== '' && b.sha256 !== '') return a.sha256 === b.sha256;
  return a.sha1 !== '' && a.sha1 === b.sha1;
}
