import path from 'node:path';
import { joinPath } from '../../core/contents/inner-path.ts';
import { ecosystemDefinitions, manifestFiles } from '../../core/ecosystem/definitions.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import {
  type DependencyGraph,
  type DependencyInput,
  type FoundManifest,
  findDependencies,
} from '../../core/sbom/dependency-graph.ts';
import { formatOf, isCompanion, isUnknownLockfile } from '../../core/sbom/lockfile/formats.ts';
import { limitsInForce } from '../../world/archive/budget.ts';
import { readTextIfThere } from '../../world/files.ts';
import { listFilesAt, readFilesAt } from '../../world/git/read-objects.ts';
import { workingTreeAround } from '../../world/git/repository.ts';
import { workingFiles } from '../../world/git/worktree.ts';
import { listFiles } from '../../world/list-files.ts';
import { type Context, warn } from '../context.ts';
import type { Workspace } from '../workspace/workspace.ts';

/** Files that say something of dependencies, with their texts. */
export type DependencyFiles = {
  readonly paths: readonly string[];
  readonly texts: ReadonlyMap<string, string>;
  readonly manifests: readonly FoundManifest[];
};

/** Whether a file's text is wanted for finding dependencies. */
export function isDependencyFile(file: string): boolean {
  return (
    !/(?:^|\/)node_modules\//.test(file) && (formatOf(file) !== null || isCompanion(file) || manifestOf(file) !== null)
  );
}

function manifestOf(file: string) {
  const name = file.slice(file.lastIndexOf('/') + 1);
  return (
    manifestFiles.find(
      (format) =>
        format.file === name ||
        (format.file.includes('{package}') && name.endsWith(format.file.replace('{package}', ''))),
    ) ?? null
  );
}

/** Reads the manifests among some texts. A broken one is reported and skipped: an SBOM must not fail because of an example. */
export async function readDependencyFiles(
  context: Context,
  paths: readonly string[],
  texts: ReadonlyMap<string, string>,
): Promise<DependencyFiles> {
  const manifests: FoundManifest[] = [];
  for (const [file, text] of texts) {
    const listed = manifestOf(file);
    if (listed === null) continue;
    try {
      const manifest = (await listed.load()).read(text, file);
      manifests.push({ path: file, ecosystem: listed.ecosystem, manifest });
    } catch (error) {
      if (!(error instanceof BevelstoneError)) throw error;
      warn(context, `${file} was not read: ${error.message}`);
    }
  }
  return { paths: paths.filter((file) => isDependencyFile(file) || isUnknownLockfile(file)), texts, manifests };
}

/** The files of a commit that say something of dependencies. */
export async function dependencyFilesAt(
  context: Context,
  { repository }: Workspace,
  commit: string,
): Promise<DependencyFiles> {
  const paths = [...(await listFilesAt(repository.place, commit, '')).keys()];
  const wanted = paths.filter(isDependencyFile);
  const read = await readFilesAt(repository.place, commit, wanted);
  const texts = new Map([...read].flatMap(([file, text]) => (text === null ? [] : [[file, text] as const])));
  return readDependencyFiles(context, paths, texts);
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
  return findDependencies(
    {
      ...files,
      folder,
      otherFolders: workspace.packages.filter((each) => each.name !== name).map((each) => each.folder),
      own,
      organisation: workspace.config.supplier,
      limits: limitsInForce(),
      installed,
    },
    root,
  );
}
