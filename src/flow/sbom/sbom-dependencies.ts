import path from 'node:path';
import { joinPath } from '../../core/contents/inner-path.ts';
import { ecosystemDefinitions, manifestFiles } from '../../core/ecosystem/definitions.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { formDefinitions } from '../../core/form/definitions.ts';
import {
  type DependencyGraph,
  type DependencyInput,
  type FoundManifest,
  findDependencies,
} from '../../core/sbom/dependency-graph.ts';
import { formatOf, isCompanion, isUnknownLockfile } from '../../core/sbom/lockfile/formats.ts';
import { limitsInForce } from '../../world/archive/budget.ts';
import { makeTemporaryFolder, readTextIfThere, removeFolder } from '../../world/files.ts';
import { listFilesAt, readFilesAt, writeFileAt } from '../../world/git/read-objects.ts';
import { workingTreeAround } from '../../world/git/repository.ts';
import type { GitPlace } from '../../world/git/run-git.ts';
import { workingFiles } from '../../world/git/worktree.ts';
import { listFiles } from '../../world/list-files.ts';
import { type Context, warn } from '../context.ts';
import { readArtifact } from '../read/read-artifact.ts';
import type { Workspace } from '../workspace/workspace.ts';
import { fromFacts, type LearntFact } from './installed-facts.ts';

/** Files that say something of dependencies, with their texts. */
export type DependencyFiles = {
  readonly paths: readonly string[];
  readonly texts: ReadonlyMap<string, string>;
  readonly manifests: readonly FoundManifest[];
  /** Manifests that could not be read, and why. */
  readonly broken: ReadonlyMap<string, string>;
  /** What archives beside lockfiles that name them say of themselves. */
  readonly archives: readonly LearntFact[];
};

/** Whether a file's text is wanted for finding dependencies. */
export function isDependencyFile(file: string): boolean {
  return (
    !(file.includes('node_modules/') && /(?:^|\/)node_modules\//.test(file)) &&
    (formatOf(file) !== null || isCompanion(file) || manifestOf(file) !== null)
  );
}

const listedManifests = manifestFiles.map((format) => ({ format, ending: format.file.replace('{package}', '') }));

function manifestOf(file: string) {
  const name = file.slice(file.lastIndexOf('/') + 1);
  const listed = listedManifests.find(({ format, ending }) =>
    ending === format.file ? name === ending : name.endsWith(ending),
  );
  return listed?.format ?? null;
}

/** Reads the manifests among some texts. A broken one is reported and skipped: an SBOM must not fail because of an example. */
export async function readDependencyFiles(
  context: Context,
  paths: readonly string[],
  texts: ReadonlyMap<string, string>,
): Promise<DependencyFiles> {
  const manifests: FoundManifest[] = [];
  const broken = new Map<string, string>();
  for (const [file, text] of texts) {
    const listed = manifestOf(file);
    if (listed === null) continue;
    try {
      const manifest = (await listed.load()).read(text, file);
      manifests.push({ path: file, ecosystem: listed.ecosystem, manifest });
    } catch (error) {
      if (!(error instanceof BevelstoneError)) throw error;
      warn(context, `${file} was not read: ${error.why}`);
      broken.set(file, error.why);
    }
  }
  const known = paths.filter((file) => isDependencyFile(file) || isUnknownLockfile(file));
  return { paths: known, texts, manifests, broken, archives: [] };
}

/** The files of a commit that say something of dependencies. */
export async function dependencyFilesAt(
  context: Context,
  { repository }: Workspace,
  commit: string,
): Promise<DependencyFiles> {
  const files = await listFilesAt(repository.place, commit, '');
  const paths = [...files.keys()];
  const wanted = paths.filter(isDependencyFile);
  const read = await readFilesAt(repository.place, commit, wanted);
  const texts = new Map([...read].flatMap(([file, text]) => (text === null ? [] : [[file, text] as const])));
  const found = await readDependencyFiles(context, paths, texts);
  return { ...found, archives: await archiveFacts(context, { place: repository.place, files, texts }) };
}

/** Archives of packages as clients keep them in a repository. */
const archiveName = /\.(?:tgz|tar\.gz|whl|jar|nupkg|zip)$/;

/** Licences of packages whose archives lie in the commit, where a lockfile names them. */
async function archiveFacts(
  { signal }: Context,
  {
    place,
    files,
    texts,
  }: {
    readonly place: GitPlace;
    readonly files: ReadonlyMap<string, string>;
    readonly texts: ReadonlyMap<string, string>;
  },
): Promise<LearntFact[]> {
  const lockfiles = [...texts].filter(([file]) => formatOf(file) !== null).map(([, text]) => text);
  const named = [...files].filter(
    ([file]) => archiveName.test(file) && lockfiles.some((text) => text.includes(path.posix.basename(file))),
  );
  if (named.length === 0) return [];
  const folder = await makeTemporaryFolder('bevelstone-archives-');
  try {
    const facts: LearntFact[] = [];
    for (const [file, object] of named) {
      signal.throwIfAborted();
      const copy = path.join(folder, path.posix.basename(file));
      await writeFileAt(place, object, copy);
      facts.push(...(await factsIn(copy)));
    }
    return facts;
  } finally {
    await removeFolder(folder);
  }
}

async function factsIn(file: string): Promise<LearntFact[]> {
  try {
    const { form, manifest } = await readArtifact(file);
    const { name, version, licence } = manifest?.common ?? { name: null, version: null, licence: null };
    const type = ecosystemDefinitions[formDefinitions[form].ecosystem].purlType;
    return name === null || version === null ? [] : [{ type, name, version, licence, supplier: null }];
  } catch (error) {
    // An archive that cannot be read says nothing of its licence, which stays unknown.
    if (error instanceof BevelstoneError) return [];
    throw error;
  }
}

/** The dependency files of a folder, and of the working tree that it lies in: a lockfile above it may settle what it needs. */
export async function dependencyFilesAround(
  context: Context,
  folder: string,
): Promise<{ readonly inside: string; readonly found: DependencyFiles }> {
  const { root, inside } = await workingTreeAround(folder, context.env);
  const own = (await listFiles(folder)).map((file) => joinPath(inside, file.path));
  const around =
    inside === '' ? [] : [...(await workingFiles({ folder: root, env: context.env }))].filter(isDependencyFile);
  const paths = [...new Set([...own, ...around])];
  const texts = new Map<string, string>();
  for (const name of paths.filter(isDependencyFile)) {
    const text = await readTextIfThere(path.join(root, name));
    if (text !== null) texts.set(name, text);
  }
  return { inside, found: await readDependencyFiles(context, paths, texts) };
}

/** Of which package, by which files. */
type DependencyQuestion = {
  readonly workspace: Workspace;
  readonly files: DependencyFiles;
  readonly name: string;
  /** Versions of packages that are released together. */
  readonly versions: ReadonlyMap<string, string>;
  readonly root: string;
  /** What installed copies say; nothing by default: what is installed in this clone is in no other one. */
  readonly installed?: DependencyInput['installed'];
};

/** Finds the dependencies of one package of a workspace: from its commit alone, so that every clone finds the same. */
export function packageDependencies({
  workspace,
  files,
  name,
  versions,
  root,
  installed = () => null,
}: DependencyQuestion): DependencyGraph {
  const item = workspace.packages.find((candidate) => candidate.name === name);
  const folder = item?.folder ?? '';
  const own = new Map(
    workspace.packages.map((each) => [
      each.fullName,
      {
        version: versions.get(each.name) ?? each.manifest?.version ?? null,
        licence: each.manifest?.licence ?? null,
        type: ecosystemDefinitions[each.ecosystem].purlType,
        folder: each.folder,
      },
    ]),
  );
  const inArchives = fromFacts(files.archives);
  return findDependencies(
    {
      ...files,
      folder,
      otherFolders: workspace.packages.filter((each) => each.name !== name).map((each) => each.folder),
      own,
      organisation: workspace.config.supplier,
      limits: limitsInForce(),
      installed: (pkg, place) => installed(pkg, place) ?? inArchives(pkg, place),
    },
    root,
  );
}
