import path from 'node:path';
import semver from 'semver';
import type { Config, PackageConfig } from '../../core/config/config.ts';
import { secretVariables } from '../../core/config/secret-references.ts';
import { ecosystemDefinitions, type ListedManifest, manifestFiles } from '../../core/ecosystem/definitions.ts';
import { usualTagPattern } from '../../core/ecosystem/package-tags.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { normalFolder } from '../../core/history/touch.ts';
import type { ManifestFormat, PackageManifest } from '../../core/manifest/package-manifest.ts';
import type { Ecosystem } from '../../core/name/ecosystem.ts';
import { nearest } from '../../core/text/nearest.ts';
import { hasFixedStages, schemeTitle } from '../../core/version/spelling.ts';
import type { TagPattern } from '../../core/version/tag-pattern.ts';
import { putLimitsInForce } from '../../world/archive/budget.ts';
import { cachedConfig } from '../../world/config-cache.ts';
import { readTextIfThere, readTextNow } from '../../world/files.ts';
import { listFilesAt, readFilesAt } from '../../world/git/read-objects.ts';
import { openRepository, type Repository, resolveCommit } from '../../world/git/repository.ts';
import { hideVariables } from '../../world/secret-vault.ts';
import { type Context, warnOnce } from '../context.ts';

/** One package of the workspace as the work finds it. */
export type Package = {
  /** Its place among the packages of the workspace. */
  readonly index: number;
  readonly name: string;
  /** The name that its users write: that of its manifest or of its Maven coordinates, else `name`. */
  readonly fullName: string;
  /** '' for the root of the repository. */
  readonly folder: string;
  readonly ecosystem: Ecosystem;
  /** Patterns of its tags: the first is written, all are read. */
  readonly tags: readonly TagPattern[];
  readonly format: ManifestFormat | null;
  /** Null where the ecosystem has no manifest that is read, or none is there. */
  readonly manifest: PackageManifest | null;
  /** Path of the manifest in the repository. */
  readonly manifestPath: string | null;
  /** What in the manifest says that it must not be published; null where nothing does. */
  readonly forbidden: string | null;
  readonly config: PackageConfig;
};

/** A workspace at one commit. */
export type Workspace = {
  readonly repository: Repository;
  readonly config: Config;
  /** Text of the configuration; null when there is no file. */
  readonly configText: string | null;
  readonly packages: readonly Package[];
};

/** What a workspace without a file is configured by. */
const plainText = 'schema: 1\n';

/**
 * Which configuration counts: the working folder's, or the one of the commit for all that becomes public. `released`: that of the
 * commit, and the caller looks at the working folder itself.
 */
export type ConfigSource = 'working-folder' | 'commit' | 'released';

/** Opens the repository that holds the folder. */
export function openContext({ folder, env, signal }: Context): Promise<Repository> {
  const known = opened.get(signal) ?? new Map<string, Opened>();
  opened.set(signal, known);
  const before = known.get(folder);
  if (before?.env === env) return before.repository;
  const repository = openRepository(folder, env, signal);
  known.set(folder, { env, repository });
  repository.catch(() => known.delete(folder));
  return repository;
}

type Opened = { readonly env: Context['env']; readonly repository: Promise<Repository> };

/** Repositories that were found, by what ends the run of the program: one stays where it is. */
const opened = new WeakMap<AbortSignal, Map<string, Opened>>();

/**
 * Reads the configuration alone.
 * @param where `commit` is asked for only when the configuration is that of a commit.
 * @throws CONFIG_INVALID, CONFIG_NOT_FOUND, CONFIG_PROGRAM_VERSION.
 */
export async function readConfig(
  context: Context,
  where: { readonly repository: Repository; readonly commit: string; readonly source: ConfigSource },
): Promise<Pick<Workspace, 'config' | 'configText'>> {
  const configText = await readConfigText(context, where);
  const text = configText ?? plainText;
  const place = { folder: where.repository.commonFolder, build: context.programBuild };
  const config = await cachedConfig({ ...place, text }, async () => {
    const { parseConfig } = await import('../../core/config/parse-config.ts');
    return parseConfig(text, context.configFile ?? 'bevelstone.yaml');
  });
  putLimitsInForce(config.limits);
  hideCredentials(context, config);
  checkProgramVersion(config, context.programVersion);
  return { config, configText };
}

/**
 * Reads configuration and manifests.
 * @throws CONFIG_INVALID, CONFIG_NOT_FOUND, CONFIG_PROGRAM_VERSION, PACKAGE_NOT_FOUND, MANIFEST_INVALID, STREAM_UNSPELLABLE.
 */
export async function readWorkspace(
  context: Context,
  {
    repository,
    commit,
    source,
  }: { readonly repository: Repository; readonly commit: string; readonly source: ConfigSource },
): Promise<Workspace> {
  const { config, configText } = await readConfig(context, { repository, commit, source });
  const named = Object.entries(config.packages);
  const places =
    named.length > 0
      ? named.map(([name, { folder }]) => ({ name, folder: normalFolder(folder) }))
      : [{ name: '', folder: '' }];
  const texts = await readFilesAt(
    repository.place,
    commit,
    places.flatMap(({ name, folder }) => manifestFiles.map((format) => join(folder, fileOf(format, name)))),
  );
  const listed = source !== 'working-folder' ? named : await withoutLater({ repository, commit, named, texts });
  const packages =
    named.length > 0
      ? await Promise.all(
          listed.map(([name, entry], index) =>
            makePackage({ index, name, config: entry, whole: config, count: listed.length, texts }),
          ),
        )
      : [await rootPackage(repository, config, texts)];
  refuseUnspellable(config, packages);
  const read = packages.flatMap(({ manifestPath }) => manifestPath ?? []);
  const committed = new Map(read.map((file) => [file, texts.get(file) ?? null] as const));
  await noteUncommitted(context, { repository, commit, committed });
  return { repository, config, configText, packages };
}

/** From here on no child process gets a credential: neither handed down, nor by looking at this process. */
function hideCredentials(context: Context, { destinations }: Config): void {
  const names = new Set(Object.values(destinations).flatMap(secretVariables));
  const open = hideVariables([...names], context.env);
  if (open.length > 0)
    warnOnce(context, `build steps could still read ${open.join(', ')} in /proc; use file: or kept: instead of env:`);
}

/**
 * The working folder's configuration may name packages that a commit of the past does not have yet: those whose folder is
 * empty there and is not at HEAD are left out.
 */
async function withoutLater({
  repository: { place },
  commit,
  named,
  texts,
}: {
  readonly repository: Repository;
  readonly commit: string;
  readonly named: [string, PackageConfig][];
  readonly texts: ReadonlyMap<string, string | null>;
}): Promise<[string, PackageConfig][]> {
  const hasManifest = ([name, { folder }]: [string, PackageConfig]) =>
    manifestFiles.some((format) => texts.get(join(normalFolder(folder), fileOf(format, name))));
  if (named.every(hasManifest) || (await resolveCommit(place, 'HEAD')) === commit) return named;
  const [then, now] = [await listFilesAt(place, commit, ''), await listFilesAt(place, 'HEAD', '')];
  const has = (files: ReadonlyMap<string, string>, folder: string) =>
    folder === '' || [...files.keys()].some((file) => file.startsWith(`${folder}/`));
  return named.filter(([, { folder }]) => has(then, normalFolder(folder)) || !has(now, normalFolder(folder)));
}

/** Found now, not at the first prerelease: a stream that says nothing of alpha, beta or rc, where an ecosystem knows no other words. */
function refuseUnspellable({ streams }: Config, packages: readonly Package[]): void {
  const needs = packages.find(({ ecosystem }) => hasFixedStages(ecosystemDefinitions[ecosystem].scheme));
  if (needs === undefined) return;
  for (const [name, { identifier, spell }] of Object.entries(streams)) {
    if (identifier === undefined || spell !== undefined || ['alpha', 'beta', 'rc'].includes(identifier)) continue;
    throw new BevelstoneError('STREAM_UNSPELLABLE', {
      message: `versions of the stream ${name} cannot be written for ${needs.name}`,
      why: `${schemeTitle(ecosystemDefinitions[needs.ecosystem].scheme)} has only alpha, beta and rc, and the stream does not map "${identifier}" to one of them`,
      fix: `Add \`spell: alpha\` (or beta, rc) to streams.${name}`,
      where: { file: 'bevelstone.yaml' },
    });
  }
}

/**
 * Indexes of the packages asked for with -p; null when none was named.
 * @throws PACKAGE_NOT_FOUND with the nearest name.
 */
export function selectPackages(packages: readonly Package[], names: readonly string[]): ReadonlySet<number> | null {
  if (names.length === 0) return null;
  return new Set(
    names.map((name) => {
      const index = packages.findIndex((pkg) => pkg.name === name);
      if (index !== -1) return index;
      const known = packages.map((pkg) => pkg.name);
      const near = nearest(name, known);
      throw new BevelstoneError('PACKAGE_NOT_FOUND', {
        message: `unknown package "${name}"`,
        why: `packages of this workspace: ${known.join(', ')}`,
        fix: near === null ? 'Name one of them with -p' : `Did you mean "${near}"?`,
      });
    }),
  );
}

async function readConfigText(
  context: Context,
  {
    repository,
    commit,
    source,
  }: { readonly repository: Repository; readonly commit: string; readonly source: ConfigSource },
): Promise<string | null> {
  if (context.configFile !== null) {
    const text = await readTextIfThere(path.resolve(context.folder, context.configFile));
    if (text !== null) return text;
    throw new BevelstoneError('CONFIG_NOT_FOUND', {
      message: `file not found: ${context.configFile}`,
      why: 'it was given with --config',
      fix: 'Check the path, or leave --config out to use bevelstone.yaml at the root',
      where: { file: context.configFile },
    });
  }
  const working = await readTextIfThere(path.join(repository.root, 'bevelstone.yaml'));
  if (source === 'working-folder') return working;
  const committed = (await readFilesAt(repository.place, commit, ['bevelstone.yaml'])).get('bevelstone.yaml') ?? null;
  if (source === 'commit')
    await noteUncommitted(context, { repository, commit, committed: new Map([['bevelstone.yaml', committed]]) });
  return committed;
}

/**
 * Says once which files of the working tree differ from what was read at the commit. Of another commit than HEAD they are meant
 * to differ.
 */
export async function noteUncommitted(
  context: Context,
  {
    repository: { root, place },
    commit,
    committed,
  }: {
    readonly repository: Repository;
    readonly commit: string;
    readonly committed: ReadonlyMap<string, string | null>;
  },
): Promise<void> {
  const plain = (text: string | null) => text?.replaceAll('\r\n', '\n') ?? null;
  const differing: string[] = [];
  for (const [file, text] of committed)
    if (plain(readTextNow(path.join(root, file))) !== plain(text)) differing.push(file);
  if (differing.length === 0 || (await resolveCommit(place, 'HEAD')) !== commit) return;
  for (const file of differing)
    warnOnce(
      context,
      `${file} in your working tree is not committed; this used ${committed.get(file) === null ? 'none' : `the one at ${commit.slice(0, 7)}`}`,
    );
}

function checkProgramVersion({ bevelstone }: Config, version: string): void {
  if (bevelstone === null || semver.satisfies(version, bevelstone, { includePrerelease: true })) return;
  throw new BevelstoneError('CONFIG_PROGRAM_VERSION', {
    message: `this workspace requires Bevelstone ${bevelstone}; this is ${version}`,
    why: 'other versions may derive versions or pack artifacts differently',
    fix: `Install a version inside ${bevelstone}, or change \`bevelstone\` in bevelstone.yaml`,
    where: { file: 'bevelstone.yaml' },
  });
}

async function makePackage({
  index,
  name,
  config,
  whole,
  count,
  texts,
}: {
  readonly index: number;
  readonly name: string;
  readonly config: PackageConfig;
  readonly whole: Config;
  readonly count: number;
  readonly texts: ReadonlyMap<string, string | null>;
}): Promise<Package> {
  const folder = normalFolder(config.folder);
  const there = manifestFiles.filter(
    (format) =>
      (config.ecosystem === null || config.ecosystem === format.ecosystem) &&
      texts.get(join(folder, fileOf(format, name))),
  );
  const found = there.length > 1 ? await firstNamed(there, { folder, name, texts }) : there[0];
  const ecosystem = config.ecosystem ?? found?.ecosystem;
  if (ecosystem === undefined) {
    throw new BevelstoneError('PACKAGE_NOT_FOUND', {
      message: `no manifest of ${name} in ${folder || 'the root'} at this commit`,
      why: `none of ${manifestFiles.map((format) => fileOf(format, name)).join(', ')} is committed there`,
      fix: 'Correct `folder`, commit the manifest, or name the ecosystem',
      where: { file: 'bevelstone.yaml' },
    });
  }
  const manifestPath = found === undefined ? null : join(folder, fileOf(found, name));
  const text = manifestPath === null ? null : (texts.get(manifestPath) ?? null);
  const format = found === undefined || text === null ? null : await found.load();
  const manifest = format === null || manifestPath === null || text === null ? null : format.read(text, manifestPath);
  const tags = config.tag ?? whole.history.tag ?? [usualTagPattern({ folder, ecosystem }, count)];
  const fullName = manifest?.name ?? coordinatesIn(config, name) ?? name;
  const forbidden = text === null ? null : ecosystemDefinitions[ecosystem].forbids(text);
  return { index, name, fullName, folder, ecosystem, tags, format, manifest, manifestPath, forbidden, config };
}

/** `groupId:artifactId` of a package without a POM, as its artifacts have it. */
function coordinatesIn({ artifacts }: PackageConfig, name: string): string | null {
  const { groupId, artifactId = name } = artifacts.find(({ coordinates }) => coordinates['groupId'])?.coordinates ?? {};
  return groupId === undefined ? null : `${groupId}:${artifactId}`;
}

/** The first manifest that names a package: one beside it may only set up tools. */
async function firstNamed(
  there: readonly ListedManifest[],
  {
    folder,
    name,
    texts,
  }: { readonly folder: string; readonly name: string; readonly texts: ReadonlyMap<string, string | null> },
): Promise<ListedManifest | undefined> {
  for (const listed of there) {
    const file = join(folder, fileOf(listed, name));
    if ((await listed.load()).read(texts.get(file) ?? '', file).name !== null) return listed;
  }
  return there[0];
}

/** The one package of a workspace without a list, named by its manifest. */
async function rootPackage(
  repository: Repository,
  config: Config,
  texts: ReadonlyMap<string, string | null>,
): Promise<Package> {
  const { defaultPackage: defaults } = await import('../../core/config/default-package.ts');
  const found = await makePackage({
    index: 0,
    name: path.basename(repository.root),
    config: defaults,
    whole: config,
    count: 1,
    texts,
  });
  return { ...found, name: found.manifest?.name ?? found.name };
}

function fileOf({ file }: ListedManifest, name: string): string {
  return file.replace('{package}', name);
}

function join(folder: string, file: string): string {
  return folder === '' ? file : `${folder}/${file}`;
}
