import path from 'node:path';
import type { ManifestFile } from '../../core/ecosystem/definition.ts';
import { ecosystemDefinitions, type ListedManifest, manifestFiles } from '../../core/ecosystem/definitions.ts';
import type { FoundPackage } from '../../core/ecosystem/found-package.ts';
import type { ProposedPackage } from '../../core/ecosystem/guess-layout.ts';
import { formsOnly } from '../../core/ecosystem/proposal.ts';
import { findVersionPlaces } from '../../core/ecosystem/version-places.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { Ecosystem } from '../../core/name/ecosystem.ts';
import { readFilesAt } from '../../world/git/read-objects.ts';
import type { Repository } from '../../world/git/repository.ts';
import { git } from '../../world/git/run-git.ts';
import { hostPlatform } from '../../world/platform.ts';
import { type Context, warn } from '../context.ts';

/** A package with its name as the manifest has it, and the manifest; null where there is none. */
export type NamedPackage = FoundPackage & { readonly fullName: string; readonly manifest: string | null };

/** Files of the commit that HEAD is at, and their texts. */
export type HeadFiles = {
  readonly files: ReadonlySet<string>;
  readonly read: (file: string) => Promise<string | null>;
};

/** Reads files of a commit one by one, each once. */
export function headFiles({ place }: Repository, files: Iterable<string>): HeadFiles {
  const texts = new Map<string, Promise<string | null>>();
  return {
    files: new Set(files),
    read: (file) => {
      const text = texts.get(file) ?? readFilesAt(place, 'HEAD', [file]).then((found) => found.get(file) ?? null);
      texts.set(file, text);
      return text;
    },
  };
}

/** Folders that hold what others made, or samples. */
const passedOver =
  /(?:^|\/)(?:node_modules|vendor|third[-_]party|subprojects|test|tests|testdata|fixtures?|examples?|samples?|demo|dist|build|target)\//;

/** Build files that a project has in each of its folders: only the topmost one is a package's. */
const nested = /(?:^|\/)(?:CMakeLists\.txt|meson\.build|configure\.ac)$/;

/**
 * The packages of a repository, by their manifests; by what else there is where it has none.
 * @throws MANIFESTS_DISAGREE when two manifests of one folder have different versions.
 */
export async function findPackages(
  context: Context,
  repository: Repository,
  head: HeadFiles,
): Promise<readonly NamedPackage[]> {
  const candidates = [...head.files].filter((file) => file.split('/').length <= 4 && !passedOver.test(file));
  const found = new Map<string, NamedPackage>();
  for (const listed of manifestFiles) {
    for (const manifest of manifestsNamed(candidates, listed)) {
      const pkg = await readPackage(context, { repository, head, listed, manifest });
      if (pkg === null || isPartOfAnother(pkg, found)) continue;
      const other = found.get(pkg.folder);
      if (other === undefined) found.set(pkg.folder, pkg);
      else noteSecond(context, other, pkg);
    }
  }
  if (found.size === 0) return [await withoutManifest(repository, head)];
  return distinct([...found.values()].sort((a, b) => (a.folder < b.folder ? -1 : 1)));
}

function manifestsNamed(candidates: readonly string[], { file: name }: ListedManifest): string[] {
  const ending = name.replace('{package}', '');
  return candidates
    .filter((file) => {
      const base = path.posix.basename(file);
      return name.startsWith('{package}') ? base.endsWith(ending) && base !== ending : base === name;
    })
    .sort((a, b) => a.split('/').length - b.split('/').length);
}

async function readPackage(
  context: Context,
  {
    repository,
    head,
    listed,
    manifest,
  }: {
    readonly repository: Repository;
    readonly head: HeadFiles;
    readonly listed: ListedManifest;
    readonly manifest: string;
  },
): Promise<NamedPackage | null> {
  const { file: name, ecosystem, load, namedBy } = listed;
  const folder = path.posix.dirname(manifest) === '.' ? '' : path.posix.dirname(manifest);
  const text = await head.read(manifest);
  if (text === null) return null;
  try {
    const read = (await load()).read(text, manifest);
    // A manifest that is for the workspace alone names nothing that is released.
    if (ecosystemDefinitions[ecosystem].isPrivate(text)) return null;
    const ending = name.replace('{package}', '');
    const called = name.startsWith('{package}')
      ? path.posix.basename(manifest).slice(0, -ending.length)
      : (read.name ?? (await nameBeside(head, folder, namedBy)));
    const fullName = called ?? (folder === '' ? await repositoryName(repository) : path.posix.basename(folder));
    const version = read.version ?? (await sourceVersion(head, { ecosystem, folder, name: fullName, manifest }));
    return {
      name: ecosystemDefinitions[ecosystem].shortName(fullName),
      fullName,
      folder,
      ecosystem,
      version,
      manifest,
    };
  } catch (error) {
    warn(context, `${manifest} cannot be read and was skipped: ${(error as Error).message}`);
    return null;
  }
}

async function nameBeside(head: HeadFiles, folder: string, namedBy: ManifestFile['namedBy']): Promise<string | null> {
  for (const file of namedBy?.files ?? []) {
    const text = await head.read(path.posix.join(folder, file));
    const name = text === null ? null : (namedBy?.read(text) ?? null);
    if (name !== null) return name;
  }
  return null;
}

async function sourceVersion(
  { files, read }: HeadFiles,
  {
    ecosystem,
    folder,
    name,
    manifest,
  }: { readonly ecosystem: Ecosystem; readonly folder: string; readonly name: string; readonly manifest: string },
): Promise<string | null> {
  const places = await findVersionPlaces(ecosystem, { folder, name, manifestPath: manifest, files, read });
  for (const { file, isSource, read: versionIn } of places) {
    const version = isSource ? versionIn((await read(file)) ?? '') : null;
    if (version !== null) return version;
  }
  return null;
}

function isPartOfAnother(
  { folder, manifest, ecosystem }: NamedPackage,
  found: ReadonlyMap<string, NamedPackage>,
): boolean {
  if (manifest === null || !nested.test(manifest)) return false;
  return [...found.values()].some(
    (other) =>
      other.ecosystem === ecosystem &&
      other.folder !== folder &&
      (other.folder === '' || folder.startsWith(`${other.folder}/`)),
  );
}

/** A folder is one package; a second manifest in it is mentioned, and must not contradict the first. */
function noteSecond(context: Context, first: NamedPackage, second: NamedPackage): void {
  if (first.version !== null && second.version !== null && first.version !== second.version) {
    throw new BevelstoneError('MANIFESTS_DISAGREE', {
      message: `${first.manifest} says ${first.version}, ${second.manifest} says ${second.version}`,
      why: 'both are in one folder, and nothing tells which is the version of the package',
      fix: 'Give both the same version, or move one package into a folder of its own, and commit; then run init again',
      where: { file: second.manifest ?? '' },
    });
  }
  if (first.ecosystem !== second.ecosystem)
    warn(
      context,
      `${second.manifest} is not configured: its folder is the package ${first.name} (${first.ecosystem}); add a second package with \`ecosystem: ${second.ecosystem}\` if it is released too`,
    );
}

/** What a repository without any manifest is: sources of C with a Makefile, or plain files. */
async function withoutManifest(repository: Repository, { files }: HeadFiles): Promise<NamedPackage> {
  const name = await repositoryName(repository);
  const isNative = files.has('Makefile') && [...files].some((file) => /\.(?:c|cc|cpp|cxx|h|hpp)$/.test(file));
  const ecosystem = isNative ? 'native' : 'plain';
  return { name, fullName: name, folder: '', ecosystem, version: null, manifest: null };
}

/** The repository's name at its remote, else that of its folder. */
async function repositoryName({ place, root }: Repository): Promise<string> {
  const { text } = await git(place, ['config', '--get', 'remote.origin.url'], { allow: [1] });
  const remote = /([^/\\:]+?)(?:\.git)?\/?$/.exec(text.trim())?.[1];
  return (remote ?? path.basename(root)).replace(/[^\w.+-]+/g, '-');
}

/** Two ecosystems may have a package of the same name; the later one is named by its folder. */
function distinct(packages: readonly NamedPackage[]): NamedPackage[] {
  const taken = new Set<string>();
  return packages.map((pkg) => {
    const name = taken.has(pkg.name) ? path.posix.basename(pkg.folder) : pkg.name;
    taken.add(name);
    return { ...pkg, name };
  });
}

/** Adds what is proposed for each package. */
export function proposeAll(packages: readonly NamedPackage[], { files, read }: HeadFiles): Promise<ProposedPackage[]> {
  return Promise.all(
    packages.map(async (pkg) => {
      const { propose, usualForms } = ecosystemDefinitions[pkg.ecosystem];
      if (propose === null) return { ...pkg, proposal: formsOnly(usualForms) };
      const manifestText = pkg.manifest === null ? '' : ((await read(pkg.manifest)) ?? '');
      const { name, folder, manifest } = pkg;
      const search = { name, folder, manifest: manifest ?? '', manifestText, files, read, platform: hostPlatform() };
      return { ...pkg, proposal: await (await propose())(search) };
    }),
  );
}

/** Groups of packages, by name, that take their version from one place. */
export async function sharedVersions(
  packages: readonly NamedPackage[],
  { files, read }: HeadFiles,
): Promise<(readonly string[])[]> {
  const owners = new Map<string, string[]>();
  for (const { name, fullName, folder, ecosystem, manifest } of packages) {
    const search = { folder, name: fullName, manifestPath: manifest, files, read };
    const places = await findVersionPlaces(ecosystem, search);
    for (const { file, what } of places.filter(({ isSource }) => isSource)) {
      const key = `${file}\n${what.replace(' of the parent', '')}`;
      owners.set(key, [...(owners.get(key) ?? []), name]);
    }
    // A parent POM is the place itself.
    if (manifest?.endsWith('pom.xml') === true) {
      const key = `${manifest}\n<version>`;
      owners.set(key, [...(owners.get(key) ?? []), name]);
    }
  }
  const groups = [...owners.values()].filter((names) => names.length > 1);
  return groups.filter((names, index) => groups.findIndex((other) => other.join() === names.join()) === index);
}
