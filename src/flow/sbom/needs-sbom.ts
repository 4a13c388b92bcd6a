import { ecosystemDefinitions } from '../../core/ecosystem/definitions.ts';
import { formatSbom, sbomFileName } from '../../core/sbom/formats.ts';
import { formatPurl } from '../../core/sbom/purl.ts';
import { reachKinds } from '../../core/sbom/reach-kinds.ts';
import { type Sbom, sbomPackage } from '../../core/sbom/sbom.ts';
import type { Context } from '../context.ts';
import type { Package, Workspace } from '../workspace/workspace.ts';
import { dependencyFilesAt, packageDependencies } from './sbom-dependencies.ts';

/** Of which release. */
type NeedsQuestion = {
  readonly workspace: Workspace;
  readonly commit: string;
  readonly pkg: Package;
  readonly version: string;
  /** Versions of packages that are released together. */
  readonly versions: ReadonlyMap<string, string>;
  /** Seconds since 1970. */
  readonly sourceTime: number;
};

/**
 * An SBOM of what a package's users get with it, for inside the package: without the files of the package itself, whose digests are
 * known only when it is packed. @returns null for a package that needs nothing, or that wants no SBOMs.
 */
export async function needsSbom(
  context: Context,
  { workspace, commit, pkg, version, versions, sourceTime }: NeedsQuestion,
): Promise<{ readonly fileName: string; readonly text: string } | null> {
  const kinds = pkg.config.sbom.kinds ?? workspace.config.sbom.kinds;
  const kind = kinds === null || kinds.includes('cyclonedx') ? 'cyclonedx' : kinds[0];
  if (kind === undefined) return null;
  const subject = sbomPackage({
    id: 'package',
    role: 'subject',
    name: pkg.fullName,
    version,
    purl: formatPurl(ecosystemDefinitions[pkg.ecosystem].purlType, pkg.fullName, version),
    licence: pkg.manifest?.licence ?? null,
    supplier: workspace.config.supplier,
  });
  const files = await dependencyFilesAt(context, workspace, commit);
  const graph = packageDependencies({ workspace, files, name: pkg.name, versions, root: subject.id });
  const reached = reachKinds({ subjects: [subject.id], relations: graph.relations });
  const shipped = graph.packages.filter(({ id }) => !['build', 'development'].includes(reached.get(id) ?? 'run'));
  if (shipped.length === 0) return null;
  const ids = new Set([subject.id, ...shipped.map(({ id }) => id)]);
  const sbom: Sbom = {
    name: `${pkg.name} ${version}`,
    created: new Date(sourceTime * 1000).toISOString().replace(/\.\d+Z$/, 'Z'),
    tool: `bevelstone-${context.programVersion}`,
    organisation: workspace.config.supplier,
    namespace: null,
    subjects: [subject.id],
    packages: [subject, ...shipped],
    relations: graph.relations.filter(({ from, to }) => ids.has(from) && ids.has(to)),
    unknown: graph.unknown,
  };
  return { fileName: sbomFileName(pkg.name, kind), text: formatSbom(sbom, kind) };
}
