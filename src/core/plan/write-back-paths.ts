import type { Config, PackageConfig } from '../config/config.ts';
import { ecosystemDefinitions, manifestFiles } from '../ecosystem/definitions.ts';
import { ownLockfile } from '../manifest/lockfile/formats.ts';
import type { Ecosystem } from '../name/ecosystem.ts';
import { globMatcher } from '../text/glob.ts';

/** What of a package decides which files its release writes. */
type WrittenPackage = {
  readonly folder: string;
  readonly ecosystem: Ecosystem;
  readonly manifestPath: string | null;
  readonly config: Pick<PackageConfig, 'stamp'>;
};

/** Names of files in which a version is kept beside a manifest. */
const placeName =
  /^(?:VERSION(?:\.txt)?|version\.txt|\.version|__init__\.py|_version\.py|__about__\.py|__version__\.py|version\.py|about\.py|CMakeLists\.txt|meson\.build|configure\.(?:ac|in)|Directory\.Build\.props|.+\.(?:cs|fs|vb)proj|build\.gradle(?:\.kts)?|gradle\.properties|setup\.cfg|setup\.py)$/;

/**
 * Tells whether a release's own commit may change a path without counting as a change (docs/design/versions.md, step 8): manifests,
 * changelogs, lockfiles, and the places where versions are kept.
 */
export function writeBackTest(packages: readonly WrittenPackage[], config: Config): (path: string) => boolean {
  const named = new Set(
    packages.flatMap(({ folder, config: { stamp } }) => {
      const files = [config['write-back'].changelog, 'notes/next.md', ...stamp.map(({ file }) => file)];
      return files.map((file) => (folder === '' ? file : `${folder}/${file}`));
    }),
  );
  for (const { manifestPath } of packages) if (manifestPath !== null) named.add(manifestPath);
  const manifestNames = new Set(manifestFiles.map(({ file }) => file));
  const headers = packages.flatMap(({ ecosystem }) => ecosystemDefinitions[ecosystem].versionHeaders ?? []);
  const made = config['write-back'].make.map(({ files }) => globMatcher(files));
  return (path) => {
    if (named.has(path)) return true;
    const name = path.slice(path.lastIndexOf('/') + 1);
    return (
      manifestNames.has(name) ||
      placeName.test(name) ||
      ownLockfile(name) !== null ||
      headers.some((header) => header.test(name)) ||
      made.some((fits) => fits(path))
    );
  };
}
