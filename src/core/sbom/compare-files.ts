import type { Sbom, SbomFile } from './sbom.ts';

/** How the files of an SBOM and of what it is about differ. */
export type FileDifferences = {
  readonly missing: readonly string[];
  readonly extra: readonly string[];
  readonly altered: readonly string[];
};

/**
 * Compares the files that an SBOM names with those that are there.
 * @param fileName of the artifact, so that an SBOM of several is compared by its part; null for a folder.
 * @returns null when the SBOM names no files of it.
 */
export function compareFiles(sbom: Sbom, fileName: string | null, files: readonly SbomFile[]): FileDifferences | null {
  const holding = sbom.packages.filter((pkg) => pkg.files !== null && pkg.files.length > 0);
  const named =
    holding.find((pkg) => fileName !== null && pkg.fileName === fileName) ??
    (holding.length === 1 ? holding[0] : undefined);
  if (named === undefined) return null;
  const listed = new Map((named.files ?? []).map((file) => [file.path, file]));
  const there = new Map(files.map((file) => [file.path, file]));
  return {
    missing: [...listed.keys()].filter((path) => !there.has(path)).sort(),
    extra: [...there.keys()].filter((path) => !listed.has(path)).sort(),
    altered: [...listed.values()].flatMap((file) => {
      const other = there.get(file.path);
      return other === undefined || isSame(file, other) ? [] : [file.path];
    }),
  };
}

/** By the strongest digest that both have. */
function isSame(a: SbomFile, b: SbomFile): boolean {
  if (a.sha256 !== '' && b.sha256 !== '') return a.sha256 === b.sha256;
  return a.sha1 !== '' && a.sha1 === b.sha1;
}
