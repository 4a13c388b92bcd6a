import { parentOf } from '../../core/contents/inner-path.ts';
import type { ReleaseRecord } from '../../core/record/release-record.ts';
import type { LicensedComponent } from '../../core/rule/rule.ts';
import { reachKinds } from '../../core/sbom/reach-kinds.ts';
import type { Context } from '../context.ts';
import type { InstalledPlaces } from '../sbom/installed-facts.ts';
import type { DependencyFiles } from '../sbom/sbom-dependencies.ts';
import type { Workspace } from '../workspace/workspace.ts';

/** What rules ask of the packages that a release needs. */
export type ReleaseNeeds = {
  /** Third-party packages that are shipped, with their licences; null for a package without a policy. */
  readonly components: readonly LicensedComponent[] | null;
  /** What is wrong with lockfiles, one sentence each. */
  readonly lockfiles: readonly string[];
};

/** Finds what a release needs; where it was installed, more licences are known than lockfiles have. */
export type NeedsOf = (record: ReleaseRecord, installedIn?: InstalledPlaces | null) => Promise<ReleaseNeeds>;

/** Dependencies of releases for the rules; what is needed for building and developing only is not shipped and left out. */
export function releaseNeeds(context: Context, workspace: Workspace): NeedsOf {
  let files: Promise<DependencyFiles> | null = null;
  return async (record, installedIn = null) => {
    const pkg = workspace.packages.find(({ name }) => name === record.package);
    if (pkg === undefined) return { components: null, lockfiles: [] };
    const { dependencyFilesAt, packageDependencies } = await import('../sbom/sbom-dependencies.ts');
    const { installedFacts } = await import('../sbom/installed-facts.ts');
    files ??= dependencyFilesAt(context, workspace, record.commit);
    const root = 'release';
    const found = packageDependencies({
      workspace,
      files: await files,
      name: record.package,
      versions: new Map(),
      root,
      ...(installedIn === null ? {} : { installed: installedFacts(installedIn) }),
    });
    const kinds = reachKinds({ subjects: [root], relations: found.relations });
    const isShipped = (id: string) => !['build', 'development'].includes(kinds.get(id) ?? 'run');
    const components = found.packages
      .filter(({ id }) => isShipped(id))
      .map(({ name, version, licence }) => ({ name, version: version ?? '', licence }));
    return {
      components: pkg.config.verify.licences === null ? null : components,
      // Those further inside belong to examples and tests; the SBOM names them all the same.
      lockfiles: found.sources
        .filter(({ path }) => isAtOrAbove(parentOf(path), pkg.folder))
        .flatMap(({ path, lacking, unread }) => [
          ...(lacking.length === 0
            ? []
            : [`${path} has nothing for ${lacking.join(', ')}, which the manifest asks for`]),
          ...(unread === null ? [] : [`${path} was not read: ${unread}`]),
        ]),
    };
  };
}

function isAtOrAbove(folder: string, inner: string): boolean {
  return folder === '' || folder === inner || inner.startsWith(`${folder}/`);
}
