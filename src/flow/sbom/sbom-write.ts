import path from 'node:path';
import { parentOf } from '../../core/contents/inner-path.ts';
import { ecosystemDefinitions } from '../../core/ecosystem/definitions.ts';
import { formDefinitions } from '../../core/form/definitions.ts';
import type { Form, SbomKind } from '../../core/name/form.ts';
import type { ArtifactRecord, ReleaseRecord } from '../../core/record/release-record.ts';
import { type InnerSbom, withBundled } from '../../core/sbom/bundled.ts';
import {
  type DependencyGraph,
  type DependencyInput,
  type DependencySource,
  findDependencies,
} from '../../core/sbom/dependency-graph.ts';
import { hexDigest } from '../../core/sbom/digest.ts';
import { formatSbom, kindOfFileName, sbomFileName } from '../../core/sbom/formats.ts';
import { formatPurl } from '../../core/sbom/purl.ts';
import { type Sbom, type SbomPackage, type SbomRelation, sbomPackage } from '../../core/sbom/sbom.ts';
import { limitsInForce } from '../../world/archive/budget.ts';
import { describePlace, unreadableFile, writeWhole } from '../../world/files.ts';
import { resolveCommit } from '../../world/git/repository.ts';
import { type Context, countMoved, during } from '../context.ts';
import { alteredArtifact, builtReleases, type ReleaseFolder } from '../release-folder/built-release.ts';
import { recordSboms } from '../release-folder/release-sboms.ts';
import { openContext, readWorkspace, type Workspace } from '../workspace/workspace.ts';
import { copyrightOf, readArtifactFiles, readFolderFiles } from './artifact-files.ts';
import { inputPackages } from './input-packages.ts';
import { fromFacts, type LearntFact } from './installed-facts.ts';
import {
  type DependencyFiles,
  dependencyFilesAround,
  dependencyFilesAt,
  isDependencyFile,
  packageDependencies,
  readDependencyFiles,
} from './sbom-dependencies.ts';

/** An SBOM that was written. */
export type WrittenSbom = {
  readonly file: string;
  readonly kind: SbomKind;
  readonly components: number;
  readonly files: number;
  readonly unread: readonly string[];
};

/** The answer of `sbom write`. */
export type SbomsWritten = {
  readonly sboms: readonly WrittenSbom[];
  readonly sources: readonly DependencySource[];
  readonly unknown: readonly string[];
};

/** What is to be written. */
export type SbomOptions = {
  /** Artifacts and folders; none for what was built for this commit. */
  readonly targets: readonly string[];
  /** Empty for what the configuration says, or both. */
  readonly kinds: readonly SbomKind[];
  /** Folder for the SBOMs; null for beside what they are about. */
  readonly to: string | null;
};

const bothKinds: readonly SbomKind[] = ['spdx', 'cyclonedx'];

/** Writes SBOMs. @throws RELEASE_NOT_BUILT, FILE_NOT_FOUND and what reading an archive may throw. */
export async function writeSboms(context: Context, { targets, kinds, to }: SbomOptions): Promise<SbomsWritten> {
  if (targets.length === 0) return writeReleaseSboms(context, kinds, to);
  const parts: SbomsWritten[] = [];
  for (const target of targets) {
    context.signal.throwIfAborted();
    const what = `SBOM of ${target}`;
    const made = await during(context, what, () =>
      sbomOfTarget(context, { place: path.resolve(context.folder, target), shown: target, what }),
    );
    const folder = to === null ? made.folder : path.resolve(context.folder, to);
    parts.push(
      await writeOut({ madeSbom: made, stem: made.stem, folder, kinds: kinds.length === 0 ? bothKinds : kinds }),
    );
  }
  return joinParts(parts);
}

type MadeSbom = {
  readonly sbom: Sbom;
  readonly graph: DependencyGraph;
  readonly stem: string;
  readonly folder: string;
};

async function writeReleaseSboms(
  context: Context,
  kinds: readonly SbomKind[],
  to: string | null,
): Promise<SbomsWritten> {
  const repository = await openContext(context);
  const commit = await resolveCommit(repository.place, 'HEAD');
  const workspace = await readWorkspace(context, { repository, commit, source: 'commit' });
  const releases = await builtReleases(context, workspace, commit);
  return writeReleaseSbomsFor(context, { workspace, releases, wish: { commit, kinds, to } });
}

/** The SBOMs of built releases, recorded beside their artifacts unless they go elsewhere. */
export async function writeReleaseSbomsFor(
  context: Context,
  {
    workspace,
    releases,
    wish: { commit, kinds, to, learnt = new Map() },
  }: {
    readonly workspace: Workspace;
    readonly releases: readonly ReleaseFolder[];
    readonly wish: {
      readonly commit: string;
      /** By release: what its rehearsal said of packages that no lockfile says more of. Only these are written then. */
      readonly learnt?: ReadonlyMap<string, readonly LearntFact[]>;
    } & Pick<SbomOptions, 'kinds' | 'to'>;
  },
): Promise<SbomsWritten> {
  const files = await dependencyFilesAt(context, workspace, commit);
  const versions = new Map(releases.map(({ record }) => [record.package, record.version]));
  const chosen = releases.filter(({ record }) => learnt.size === 0 || (learnt.get(record.package) ?? []).length > 0);
  const parts: SbomsWritten[] = [];
  for (const release of chosen) {
    context.signal.throwIfAborted();
    const facts = learnt.get(release.record.package) ?? [];
    const installed = fromFacts(facts);
    const what = `SBOM of ${release.record.package} ${release.record.version}${facts.length === 0 ? '' : ', with licences from the rehearsal'}`;
    const made = await during(context, what, () =>
      sbomOfRelease(context, { workspace, releaseFolder: release, found: { files, versions, installed }, what }),
    );
    const configured =
      workspace.packages.find(({ name }) => name === release.record.package)?.config.sbom.kinds ??
      workspace.config.sbom.kinds ??
      bothKinds;
    const folder = to === null ? release.folder : path.resolve(context.folder, to);
    const written = await writeOut({
      madeSbom: made,
      stem: made.stem,
      folder,
      kinds: kinds.length === 0 ? configured : kinds,
    });
    if (to === null) await recordSboms(release, written.sboms);
    parts.push(written);
  }
  return joinParts(parts);
}

/** What the dependencies of a release are found in. */
type Found = {
  readonly files: DependencyFiles;
  readonly versions: ReadonlyMap<string, string>;
  readonly installed: DependencyInput['installed'];
};

/** The SBOM of a release: the package, its artifacts with their files, the commit they come from, and all it depends on. */
async function sbomOfRelease(
  context: Context,
  {
    workspace,
    releaseFolder: { folder, record },
    found,
    what,
  }: {
    readonly workspace: Workspace;
    readonly releaseFolder: ReleaseFolder;
    readonly found: Found;
    readonly what: string;
  },
): Promise<MadeSbom> {
  const config = workspace.config;
  const item = workspace.packages.find(({ name }) => name === record.package);
  const licence = item?.manifest?.licence ?? null;
  const onRead = countMoved(context, what, null);
  const read = await Promise.all(
    record.artifacts.map((listed) =>
      artifactPackage({ onRead, folder, record, listed, licence, supplier: config.supplier }),
    ),
  );
  const artifacts = read.map((each) => each.made);
  const commitPage = config.links.commit?.replaceAll('{commit}', record.commit) ?? null;
  const source = sbomPackage({
    id: 'source',
    role: 'source',
    name: record.package,
    version: record.commit,
    licence,
    supplier: config.supplier,
    location: commitPage,
    comment: `commit ${record.commit}`,
  });
  const subject = sbomPackage({
    id: `release-${safe(record.package)}-${safe(record.version)}`,
    role: 'subject',
    name: record.name,
    version: record.version,
    purl: formatPurl(ecosystemDefinitions[record.ecosystem].purlType, record.name, record.version),
    licence: licence ?? artifacts.map((each) => each.licence).find((each) => each !== null) ?? null,
    supplier: config.supplier,
    copyright: artifacts.map((each) => each.copyright).find((each) => each !== null) ?? null,
    description:
      item?.manifest?.description ?? artifacts.map((each) => each.description).find((each) => each !== null) ?? null,
  });
  const graph = packageDependencies({ workspace, name: record.package, root: subject.id, ...found });
  const inputs = item === undefined ? [] : await inputPackages(workspace.repository.place, record.commit, item);
  const relations: SbomRelation[] = [
    ...artifacts.flatMap((each): SbomRelation[] => [
      { from: subject.id, to: each.id, type: 'contains' },
      { from: each.id, to: source.id, type: 'generated-from' },
    ]),
    ...inputs.map(({ id }) => ({ from: subject.id, to: id, type: 'contains' as const })),
    ...graph.relations,
  ];
  const sbom: Sbom = {
    name: `${record.package} ${record.version}`,
    created: new Date(record.sourceTime * 1000).toISOString().replace(/\.\d+Z$/, 'Z'),
    tool: `bevelstone-${context.programVersion}`,
    organisation: config.supplier,
    namespace: item?.config.sbom.namespace ?? config.sbom.namespace,
    subjects: [subject.id],
    packages: [subject, ...artifacts, source, ...inputs, ...graph.packages],
    relations,
    unknown: graph.unknown,
  };
  const whole = withBundled(
    sbom,
    subject.id,
    read.flatMap((each) => each.inner),
  );
  return { sbom: whole, graph, stem: path.basename(folder), folder };
}

async function artifactPackage({
  folder,
  record,
  listed,
  licence,
  supplier,
  onRead,
}: {
  readonly folder: string;
  readonly record: ReleaseRecord;
  readonly listed: ArtifactRecord;
  readonly licence: string | null;
  readonly supplier: string | null;
  readonly onRead: (bytes: number) => void;
}): Promise<{ readonly made: SbomPackage; readonly inner: readonly InnerSbom[] }> {
  const { artifact, files, texts } = await readArtifactFiles(
    { file: path.join(folder, listed.file), form: listed.form },
    isInnerSbom,
    onRead,
  );
  if (artifact.sha256 !== listed.sha256) throw alteredArtifact(path.join(folder, listed.file));
  const common = artifact.manifest?.common;
  const made = sbomPackage({
    id: `artifact-${safe(listed.file)}`,
    role: 'artifact',
    name: listed.file,
    version: record.version,
    licence: common?.licence ?? licence,
    supplier,
    copyright: copyrightOf(files),
    description: common?.description ?? null,
    digests: [
      hexDigest('sha1', listed.sha1),
      hexDigest('sha256', listed.sha256),
      hexDigest('sha512', listed.sha512),
    ].filter((item) => item !== null),
    fileName: listed.file,
    files,
    comment: [listed.form, listed.platform].filter((part) => part !== null).join(' for '),
  });
  return { made, inner: innerSboms(listed.file, texts) };
}

function isInnerSbom(file: string): boolean {
  return kindOfFileName(file) !== null;
}

function innerSboms(artifact: string, texts: ReadonlyMap<string, string>): InnerSbom[] {
  return [...texts].flatMap(([inside, text]) => (isInnerSbom(inside) ? [{ artifact, path: inside, text }] : []));
}

/** The SBOM of an archive or of a folder, from wherever it is. */
async function sbomOfTarget(
  context: Context,
  { place, shown, what }: { readonly place: string; readonly shown: string; readonly what: string },
): Promise<MadeSbom> {
  try {
    const { isFolder, changed } = await describePlace(place);
    return isFolder
      ? await sbomOfFolder(context, place, what)
      : await sbomOfFile(context, { file: place, changed, what });
  } catch (cause) {
    throw unreadableFile(cause, shown) ?? cause;
  }
}

async function sbomOfFile(
  context: Context,
  { file, changed, what }: { readonly file: string; readonly changed: Date; readonly what: string },
): Promise<MadeSbom> {
  const { artifact, files, texts } = await readArtifactFiles(
    { file, form: null },
    (inside) => isDependencyFile(inside) || isInnerSbom(inside),
    countMoved(context, what, null),
  );
  const common = artifact.manifest?.common;
  const name = common?.name ?? path.basename(file);
  const id = `artifact-${safe(path.basename(file))}`;
  const subject = sbomPackage({
    id,
    role: 'subject',
    name,
    version: common?.version ?? null,
    purl: purlOf(artifact.form, name, common?.version ?? null),
    licence: common?.licence ?? null,
    description: common?.description ?? null,
    copyright: copyrightOf(files),
    digests: [hexDigest('sha256', artifact.sha256)].filter((item) => item !== null),
    fileName: path.basename(file),
    files,
  });
  const paths = artifact.entries.filter(({ type }) => type === 'file').map((entry) => entry.path);
  const found = await readDependencyFiles(
    context,
    paths,
    new Map([...texts].filter(([inside]) => isDependencyFile(inside))),
  );
  const manifests =
    found.manifests.length > 0 || common === undefined || artifact.manifest === null
      ? found.manifests
      : [{ path: artifact.manifest.path, ecosystem: formDefinitions[artifact.form].ecosystem, manifest: common }];
  const folder = artifact.prefix.replace(/\/$/, '');
  const graph = findDependencies(
    {
      ...unrelated,
      ...found,
      manifests,
      folder: manifests.every((manifest) => manifest.path.startsWith(artifact.prefix)) ? folder : '',
      limits: limitsInForce(),
    },
    id,
  );
  return {
    sbom: withBundled(
      plainSbom(context, { subject, graph, at: sourceDate(context) ?? changed }),
      id,
      innerSboms(path.basename(file), texts),
    ),
    graph,
    stem: path.basename(file),
    folder: path.dirname(file),
  };
}

async function sbomOfFolder(context: Context, folder: string, what: string): Promise<MadeSbom> {
  const [files, { inside, found }] = await Promise.all([
    readFolderFiles(folder, (of) => countMoved(context, what, of)),
    dependencyFilesAround(context, folder),
  ]);
  const top = found.manifests.find((manifest) => parentOf(manifest.path) === inside) ?? null;
  const name = top?.manifest.name ?? path.basename(folder);
  const version = top?.manifest.version ?? null;
  const id = `folder-${safe(name)}`;
  const subject = sbomPackage({
    id,
    role: 'subject',
    name,
    version,
    purl: formatPurl(ecosystemDefinitions[top?.ecosystem ?? 'plain'].purlType, name, version),
    licence: top?.manifest.licence ?? null,
    description: top?.manifest.description ?? null,
    copyright: copyrightOf(files),
    files,
  });
  const graph = findDependencies({ ...unrelated, ...found, folder: inside, limits: limitsInForce() }, id);
  const stem = safe([name, version].filter((part) => part !== null).join('-'));
  // Inside the folder the SBOM would be one of its files the next time.
  return {
    sbom: plainSbom(context, { subject, graph, at: sourceDate(context) ?? context.now() }),
    graph,
    stem,
    folder: path.dirname(folder),
  };
}

/** What is known of something that is no package of a workspace. */
const unrelated = { otherFolders: [], own: new Map(), organisation: null, installed: () => null } as const;

function plainSbom(
  context: Context,
  { subject, graph, at }: { readonly subject: SbomPackage; readonly graph: DependencyGraph; readonly at: Date },
): Sbom {
  return {
    name: [subject.name, subject.version].filter((part) => part !== null).join(' '),
    created: at.toISOString().replace(/\.\d+Z$/, 'Z'),
    tool: `bevelstone-${context.programVersion}`,
    organisation: null,
    namespace: null,
    subjects: [subject.id],
    packages: [subject, ...graph.packages],
    relations: graph.relations,
    unknown: graph.unknown,
  };
}

/** The time that a build must use (reproducible-builds.org, "SOURCE_DATE_EPOCH"). */
function sourceDate({ env }: Context): Date | null {
  const text = env['SOURCE_DATE_EPOCH'] ?? '';
  return /^\d{1,11}$/.test(text) ? new Date(Number(text) * 1000) : null;
}

async function writeOut({
  madeSbom: { sbom, graph },
  stem,
  folder,
  kinds,
}: {
  readonly madeSbom: MadeSbom;
  readonly stem: string;
  readonly folder: string;
  readonly kinds: readonly SbomKind[];
}): Promise<SbomsWritten> {
  const sboms: WrittenSbom[] = [];
  const files = sbom.packages.reduce((sum, pkg) => sum + (pkg.files?.length ?? 0), 0);
  const unread = graph.sources.filter((source) => source.unread !== null).map((source) => source.path);
  for (const kind of kinds) {
    const file = path.join(folder, sbomFileName(stem, kind));
    await writeWhole(file, formatSbom(sbom, kind));
    sboms.push({
      file,
      kind,
      components: sbom.packages.filter(({ role }) => role === 'dependency').length,
      files,
      unread,
    });
  }
  return { sboms, sources: graph.sources, unknown: graph.unknown };
}

function joinParts(parts: readonly SbomsWritten[]): SbomsWritten {
  return {
    sboms: parts.flatMap(({ sboms }) => sboms),
    sources: [
      ...new Map(
        parts.flatMap(({ sources }) =>
          sources.map(
            (source) => [`${source.path} ${source.format} ${source.direct} ${source.indirect}`, source] as const,
          ),
        ),
      ).values(),
    ],
    unknown: [...new Set(parts.flatMap(({ unknown }) => unknown))],
  };
}

function purlOf(form: Form, name: string, version: string | null): string | null {
  const { ownPurl, ecosystem } = formDefinitions[form];
  if (ownPurl !== null) return formatPurl(ownPurl.type, `${ownPurl.namespace}${name}`, version);
  return formatPurl(ecosystemDefinitions[ecosystem].purlType, name, version);
}

/** Letters, digits, dots and hyphens only. */
function safe(text: string): string {
  return text.replace(/[^A-Za-z0-9.]+/g, '-').replace(/^-+|-+$/g, '');
}
