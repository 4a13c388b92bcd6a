import type { ReleaseRecord } from '../../core/record/release-record.ts';
import type { LicensedComponent } from '../../core/rule/rule.ts';
import { reachKinds } from '../../core/sbom/reach-kinds.ts';
import type { Context } from '../context.ts';
import type { DependencyFiles } from '../sbom/sbom-dependencies.ts';
import type { Workspace } from '../workspace/workspace.ts';

/** Finds the licences of what a release ships; a folder in which it was installed knows more of them than lockfiles do. */
export type ComponentsOf = (
  record: ReleaseRecord,
  installedIn?: string | null,
) => Promise<readonly LicensedComponent[] | null>;

/**
 * Third-party dependencies of releases with their licences, for the policy; what is needed for building and developing only is
 * not shipped and left out. @returns null for a package without a policy: looking for them takes time.
 */
export function licensedComponents(context: Context, workspace: Workspace): ComponentsOf {
  let files: Promise<DependencyFiles> | null = null;
  return async (record, installedIn = null) => {
    const config = workspace.packages.find(({ name }) => name === record.package)?.config;
    if (config === undefined || config.verify.licences === null) return null;
    const { dependencyFilesAt, installedFacts, packageDependencies } = await import('../sbom/sbom-dependencies.ts');
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
    return found.packages
      .filter(({ id }) => isShipped(id))
      .map(({ name, version, licence }) => ({ name, version: version ?? '', licence }));
  };
}
