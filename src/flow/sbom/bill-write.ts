import path from 'node:path';
import { ecosystemDefinitions } from '../../core/ecosystem/definitions.ts';
import { formDefinitions } from '../../core/form/definitions.ts';
import type { BillKind, Form } from '../../core/name/form.ts';
import type { ArtifactRecord, ReleaseRecord } from '../../core/record/release-record.ts';
import { type Bill, type BillPackage, type BillRelation, billPackage } from '../../core/sbom/bill.ts';
import { type InnerBill, withBundled } from '../../core/sbom/bundled.ts';
import { type DependencyGraph, type DependencySource, findDependencies } from '../../core/sbom/dependency-graph.ts';
import { hexDigest } from '../../core/sbom/digest.ts';
import { billFileName, formatBill, kindOfFileName } from '../../core/sbom/formats.ts';
import { formatPurl } from '../../core/sbom/purl.ts';
import { describePlace, readTextIfThere, unreadableFile, writeWhole } from '../../world/files.ts';
import { resolveCommit } from '../../world/git/repository.ts';
import { listFiles } from '../../world/list-files.ts';
import type { Context } from '../context.ts';
import { alteredArtifact, builtReleases, type ReleaseFolder } from '../release-folder/built-release.ts';
import { recordBills } from '../release-folder/release-bills.ts';
import { openContext, readWorkspace, type Workspace } from '../workspace/workspace.ts';
import {
  type DependencyFiles,
  dependencyFilesAt,
  installedFacts,
  isDependencyFile,
  packageDependencies,
  readDependencyFiles,
} from './bill-dependencies.ts';
import { billArtifact, billFolder, copyrightOf } from './billed-artifact.ts';

/** A bill that was written. */
export type WrittenBill = {
  readonly file: string;
  readonly kind: BillKind;
  readonly components: number;
  readonly files: number;
  readonly unread: readonly string[];
};

/** The answer of `bill write`. */
export type BillsWritten = {
  readonly bills: readonly WrittenBill[];
  readonly sources: readonly DependencySource[];
  readonly unknown: readonly string[];
};

/** What is to be written. */
export type BillOptions = {
  /** Artifacts and folders; none for what was built for this commit. */
  readonly targets: readonly string[];
  /** Empty for what the configuration says, or both. */
  readonly kinds: readonly BillKind[];
  /** Folder for the bills; null for beside what they are about. */
  readonly to: string | null;
};

const bothKinds: readonly BillKind[] = ['spdx', 'cyclonedx'];

/** Writes bills of materials. @throws RELEASE_NOT_BUILT, FILE_NOT_FOUND and what reading an archive may throw. */
export async function writeBills(context: Context, { targets, kinds, to }: BillOptions): Promise<BillsWritten> {
  if (targets.length === 0) return writeReleaseBills(context, kinds, to);
  const parts: BillsWritten[] = [];
  for (const target of targets) {
    context.signal.throwIfAborted();
    const made = await billOfTarget(context, path.resolve(context.folder, target), target);
    const folder = to === null ? made.folder : path.resolve(context.folder, to);
    parts.push(
      await writeOut({ madeBill: made, stem: made.stem, folder, kinds: kinds.length === 0 ? bothKinds : kinds }),
    );
  }
  return joinParts(parts);
}

type MadeBill = {
  readonly bill: Bill;
  readonly graph: DependencyGraph;
  readonly stem: string;
  readonly folder: string;
};

async function writeReleaseBills(
  context: Context,
  kinds: readonly BillKind[],
  to: string | null,
): Promise<BillsWritten> {
  const repository = await openContext(context);
  const commit = await resolveCommit(repository.place, 'HEAD');
  const workspace = await readWorkspace(context, { repository, commit, source: 'commit' });
  const releases = await builtReleases(context, workspace, commit);
  return billReleases(context, { workspace, releases, wish: { commit, kinds, to } });
}

/** The bills of built releases, recorded beside their artifacts unless they go elsewhere. */
export async function billReleases(
  context: Context,
  {
    workspace,
    releases,
    wish: { commit, kinds, to },
  }: {
    readonly workspace: Workspace;
    readonly releases: readonly ReleaseFolder[];
    readonly wish: { readonly commit: string } & Pick<BillOptions, 'kinds' | 'to'>;
  },
): Promise<BillsWritten> {
  const files = await dependencyFilesAt(context, workspace, commit);
  const versions = new Map(releases.map(({ record }) => [record.package, record.version]));
  const parts: BillsWritten[] = [];
  for (const release of releases) {
    context.signal.throwIfAborted();
    const made = await billOfRelease(context, { workspace, releaseFolder: release, found: { files, versions } });
    const configured =
      workspace.packages.find(({ name }) => name === release.record.package)?.config.bills ?? bothKinds;
    const folder = to === null ? release.folder : path.resolve(context.folder, to);
    const written = await writeOut({
      madeBill: made,
      stem: made.stem,
      folder,
      kinds: kinds.length === 0 ? configured : kinds,
    });
    if (to === null) await recordBills(release, written.bills);
    parts.push(written);
  }
  return joinParts(parts);
}

/** The bill of a release: the package, its artifacts with their files, the commit they come from, and all it depends on. */
async function billOfRelease(
  context: Context,
  {
    workspace,
    releaseFolder: { folder, record },
    found,
  }: {
    readonly workspace: Workspace;
    readonly releaseFolder: ReleaseFolder;
    readonly found: { readonly files: DependencyFiles; readonly versions: ReadonlyMap<string, string> };
  },
): Promise<MadeBill> {
  const config = workspace.config;
  const one = workspace.packages.find(({ name }) => name === record.package);
  const licence = one?.manifest?.licence ?? null;
  const read = await Promise.all(
    record.artifacts.map((listed) => artifactPackage({ folder, record, listed, licence, supplier: config.supplier })),
  );
  const artifacts = read.map((each) => each.made);
  const commitPage = config.links.commit?.replaceAll('{commit}', record.commit) ?? null;
  const source = billPackage({
    id: 'source',
    role: 'source',
    name: record.package,
    version: record.commit,
    licence,
    supplier: config.supplier,
    location: commitPage,
    comment: `commit ${record.commit}`,
  });
  const subject = billPackage({
    id: `release-${safe(record.package)}-${safe(record.version)}`,
    role: 'subject',
    name: record.name,
    version: record.version,
    purl: formatPurl(ecosystemDefinitions[record.ecosystem].purlType, record.name, record.version),
    licence: licence ?? artifacts.map((each) => each.licence).find((each) => each !== null) ?? null,
    supplier: config.supplier,
    copyright: artifacts.map((each) => each.copyright).find((each) => each !== null) ?? null,
    description:
      one?.manifest?.description ?? artifacts.map((each) => each.description).find((each) => each !== null) ?? null,
  });
  const graph = packageDependencies(context, {
    workspace,
    files: found.files,
    name: record.package,
    versions: found.versions,
    root: subject.id,
  });
  const relations: BillRelation[] = [
    ...artifacts.flatMap((each): BillRelation[] => [
      { from: subject.id, to: each.id, type: 'contains' },
      { from: each.id, to: source.id, type: 'generated-from' },
    ]),
    ...graph.relations,
  ];
  const bill: Bill = {
    name: `${record.package} ${record.version}`,
    created: new Date(record.sourceTime * 1000).toISOString().replace(/\.\d+Z$/, 'Z'),
    tool: `bevelstone-${context.programVersion}`,
    organisation: config.supplier,
    subjects: [subject.id],
    packages: [subject, ...artifacts, source, ...graph.packages],
    relations,
    unknown: graph.unknown,
  };
  const whole = withBundled(
    bill,
    subject.id,
    read.flatMap((each) => each.inner),
  );
  return { bill: whole, graph, stem: path.basename(folder), folder };
}

async function artifactPackage({
  folder,
  record,
  listed,
  licence,
  supplier,
}: {
  readonly folder: string;
  readonly record: ReleaseRecord;
  readonly listed: ArtifactRecord;
  readonly licence: string | null;
  readonly supplier: string | null;
}): Promise<{ readonly made: BillPackage; readonly inner: readonly InnerBill[] }> {
  const { artifact, files, texts } = await billArtifact(path.join(folder, listed.file), isInnerBill);
  if (artifact.sha256 !== listed.sha256) throw alteredArtifact(path.join(folder, listed.file));
  const common = artifact.manifest?.common;
  const made = billPackage({
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
    ].filter((one) => one !== null),
    fileName: listed.file,
    files,
    comment: [listed.form, listed.platform].filter((part) => part !== null).join(' for '),
  });
  return { made, inner: innerBills(listed.file, texts) };
}

function isInnerBill(file: string): boolean {
  return kindOfFileName(file) !== null;
}

function innerBills(artifact: string, texts: ReadonlyMap<string, string>): InnerBill[] {
  return [...texts].flatMap(([inside, text]) => (isInnerBill(inside) ? [{ artifact, path: inside, text }] : []));
}

/** The bill of an archive or of a folder, from wherever it is. */
async function billOfTarget(context: Context, target: string, shown: string): Promise<MadeBill> {
  try {
    const { isFolder, changed } = await describePlace(target);
    return isFolder ? await billOfFolder(context, target) : await billOfFile(context, target, changed);
  } catch (cause) {
    throw unreadableFile(cause, shown) ?? cause;
  }
}

async function billOfFile(context: Context, file: string, changed: Date): Promise<MadeBill> {
  const { artifact, files, texts } = await billArtifact(
    file,
    (inside) => isDependencyFile(inside) || isInnerBill(inside),
  );
  const common = artifact.manifest?.common;
  const name = common?.name ?? path.basename(file);
  const id = `artifact-${safe(path.basename(file))}`;
  const subject = billPackage({
    id,
    role: 'subject',
    name,
    version: common?.version ?? null,
    purl: purlOf(artifact.form, name, common?.version ?? null),
    licence: common?.licence ?? null,
    description: common?.description ?? null,
    copyright: copyrightOf(files),
    digests: [hexDigest('sha256', artifact.sha256)].filter((one) => one !== null),
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
      ...found,
      manifests,
      folder: manifests.every((one) => one.path.startsWith(artifact.prefix)) ? folder : '',
      otherFolders: [],
      own: new Map(),
      organisation: null,
      installed: () => null,
    },
    id,
  );
  return {
    bill: withBundled(
      plainBill(context, { subject, graph, at: sourceDate(context) ?? changed }),
      id,
      innerBills(path.basename(file), texts),
    ),
    graph,
    stem: path.basename(file),
    folder: path.dirname(file),
  };
}

async function billOfFolder(context: Context, folder: string): Promise<MadeBill> {
  const [files, listed] = await Promise.all([billFolder(folder), listFiles(folder)]);
  const paths = listed.map((one) => one.path);
  const texts = new Map<string, string>();
  for (const one of paths.filter(isDependencyFile)) {
    const text = await readTextIfThere(path.join(folder, one));
    if (text !== null) texts.set(one, text);
  }
  const found = await readDependencyFiles(context, paths, texts);
  const top = found.manifests.find((one) => !one.path.includes('/')) ?? null;
  const name = top?.manifest.name ?? path.basename(folder);
  const version = top?.manifest.version ?? null;
  const id = `folder-${safe(name)}`;
  const subject = billPackage({
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
  const graph = findDependencies(
    {
      ...found,
      folder: '',
      otherFolders: [],
      own: new Map(),
      organisation: null,
      installed: installedFacts(folder, context.env),
    },
    id,
  );
  const stem = safe([name, version].filter((part) => part !== null).join('-'));
  // Inside the folder the bill would be one of its files the next time.
  return {
    bill: plainBill(context, { subject, graph, at: sourceDate(context) ?? context.now() }),
    graph,
    stem,
    folder: path.dirname(folder),
  };
}

function plainBill(
  context: Context,
  { subject, graph, at }: { readonly subject: BillPackage; readonly graph: DependencyGraph; readonly at: Date },
): Bill {
  return {
    name: [subject.name, subject.version].filter((part) => part !== null).join(' '),
    created: at.toISOString().replace(/\.\d+Z$/, 'Z'),
    tool: `bevelstone-${context.programVersion}`,
    organisation: null,
    subjects: [subject.id],
    packages: [subject, ...graph.packages],
    relations: graph.relations,
    unknown: graph.unknown,
  };
}

/** The time that a build is told to use (reproducible-builds.org, "SOURCE_DATE_EPOCH"). */
function sourceDate({ env }: Context): Date | null {
  const text = env['SOURCE_DATE_EPOCH'] ?? '';
  return /^\d{1,11}$/.test(text) ? new Date(Number(text) * 1000) : null;
}

async function writeOut({
  madeBill: { bill, graph },
  stem,
  folder,
  kinds,
}: {
  readonly madeBill: MadeBill;
  readonly stem: string;
  readonly folder: string;
  readonly kinds: readonly BillKind[];
}): Promise<BillsWritten> {
  const bills: WrittenBill[] = [];
  const files = bill.packages.reduce((sum, one) => sum + (one.files?.length ?? 0), 0);
  const unread = graph.sources.filter((one) => one.unread !== null).map((one) => one.path);
  for (const kind of kinds) {
    const file = path.join(folder, billFileName(stem, kind));
    await writeWhole(file, formatBill(bill, kind));
    bills.push({
      file,
      kind,
      components: bill.packages.filter(({ role }) => role === 'dependency').length,
      files,
      unread,
    });
  }
  return { bills, sources: graph.sources, unknown: graph.unknown };
}

function joinParts(parts: readonly BillsWritten[]): BillsWritten {
  return {
    bills: parts.flatMap(({ bills }) => bills),
    sources: [
      ...new Map(
        parts.flatMap(({ sources }) =>
          sources.map((one) => [`${one.path} ${one.format} ${one.direct} ${one.indirect}`, one] as const),
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
