import path from 'node:path';
import type { Entry } from '../../../core/contents/entry.ts';
import { commonFolder } from '../../../core/contents/entry.ts';
import { BevelstoneError, isBevelstoneError } from '../../../core/error/bevelstone-error.ts';
import { formDefinitions } from '../../../core/form/definitions.ts';
import { fileNameOf } from '../../../core/form/placeholder.ts';
import type { LedgerRelease } from '../../../core/ledger/fold.ts';
import { parsePackageJson } from '../../../core/manifest/package-json.ts';
import { builtFirst, installScripts, type NamedEntry } from '../../../core/plan/built-first.ts';
import { protocolDefinitions } from '../../../core/protocol/definitions.ts';
import { entriesIn } from '../../../core/record/contents-list.ts';
import { assignTags, type VersionTag } from '../../../core/version/tag-pattern.ts';
import { archiveCommit, type ClientClone, cloneAsClient } from '../../../world/git/client-clone.ts';
import { listFilesAt, readFilesAt } from '../../../world/git/read-objects.ts';
import { readTags } from '../../../world/git/read-tags.ts';
import { resolveCommit } from '../../../world/git/repository.ts';
import { makeOwnFolder } from '../../../world/leftovers.ts';
import { serveFile } from '../../../world/serve-file.ts';
import { type Context, during, quietly } from '../../context.ts';
import { offersOf } from '../../ledger/lines.ts';
import { readContentsList } from '../../ledger-record/last-artifact.ts';
import { readLedger } from '../../ledger-record/ledger.ts';
import { cloneAddress } from '../../workspace/clone-address.ts';
import { openContext, type Package, readWorkspace, selectPackages, type Workspace } from '../../workspace/workspace.ts';
import { confirmReleases } from '../confirm.ts';
import { makeStage } from '../trial.ts';
import { type GitClient, type GitOutcome, type GitSource, gitClients } from './clients.ts';

/** One way for one client to a package. */
export type GitCell = {
  readonly state: 'works' | 'fails' | 'not-tried';
  /** Why it does not work or was not tried; of one that works what is to be known all the same; null for nothing. */
  readonly why: string | null;
};

/** A package at a tag, as clients get it. */
export type GitPackage = {
  readonly package: string;
  readonly version: string;
  readonly tag: string;
  readonly commit: string;
  readonly folder: string;
  /** Null for an ecosystem whose clients do not install from git. */
  readonly client: string | null;
  readonly clientVersion: string | null;
  /** The manifest that the client needs, and whether it is there. */
  readonly manifest: { readonly file: string; readonly isThere: boolean } | null;
  readonly git: GitCell;
  readonly archive: GitCell;
  readonly registry: GitCell;
  /** Files that an install from git brings and the artifact leaves out; null where they were not compared. */
  readonly extra: readonly string[] | null;
  /** Entries of the manifest that are not in git as users need them. */
  readonly builtFirst: readonly NamedEntry[];
  /** Scripts that run on the machine of whoever installs. */
  readonly scripts: readonly string[];
};

/** The answer of `verify --git`. */
export type GitVerification = { readonly remote: string; readonly packages: readonly GitPackage[] };

/**
 * Clones the remote as a client does and tries, for each package, what clients do with a tag: from git, from an archive of the commit, and
 * from the registry. @param tag null for the newest tag of each package.
 * @throws REMOTE_MISSING, REMOTE_REFUSED, REPOSITORY_SHALLOW, TAG_ELSEWHERE, TAG_NOT_PUSHED, COMMIT_NOT_FOUND
 */
export async function verifyGit(context: Context, tag: string | null): Promise<GitVerification> {
  const repository = await openContext(context);
  const commit = await resolveCommit(repository.place, 'HEAD');
  const workspace = await readWorkspace(context, { repository, commit, source: 'working-folder' });
  const remote = workspace.config.repository ?? (await cloneAddress(repository));
  if (remote === null) throw noRemote();
  const wanted = await wantedTags(context, workspace, tag);
  const own = await makeOwnFolder(repository.commonFolder, 'verify-git');
  try {
    const clone = await during(context, `clone ${remote}`, () => cloneAsClient(remote, own.folder, context));
    const releases = await readLedger(context, repository);
    const packages: GitPackage[] = [];
    for (const one of wanted) {
      await refuseMoved(clone, one, remote);
      const release = releases.find(
        ({ package: name, version }) => name === one.pkg.name && version === one.tag.version,
      );
      const question = { workspace, remote, clone, top: own.folder, ...one, release: release ?? null };
      packages.push(await tryPackage(context, question));
    }
    return { remote, packages };
  } finally {
    await own.remove();
  }
}

type TaggedPackage = { readonly pkg: Package; readonly tag: VersionTag };

async function wantedTags(context: Context, workspace: Workspace, tag: string | null): Promise<TaggedPackage[]> {
  const { packages, repository } = workspace;
  const { tags } = await readTags(repository.place);
  const { byOwner } = assignTags(tags, packages);
  const chosen = selectPackages(packages, context.packages);
  const found = packages.flatMap((pkg, index): TaggedPackage[] => {
    if (chosen?.has(index) === false) return [];
    const own = byOwner[index] ?? [];
    // Of what is usually installed: a prerelease only where there is nothing else.
    const newest = own.find(({ version }) => !version.includes('-')) ?? own[0];
    const one = tag === null ? newest : own.find((candidate) => candidate.tag === tag);
    return one === undefined ? [] : [{ pkg, tag: one }];
  });
  if (found.length > 0) return found;
  throw new BevelstoneError('COMMIT_NOT_FOUND', {
    message: tag === null ? 'no package here has a tag of a version' : `no package here has the tag ${tag}`,
    why:
      tag === null
        ? 'nothing was released yet, or tags follow another pattern'
        : 'it is not in this clone, or fits no tag pattern',
    fix: 'Fetch the tags: git fetch --tags. To see how tags are read: bevelstone survey --tags',
  });
}

/** What is tried. */
type Question = TaggedPackage & {
  readonly workspace: Workspace;
  readonly remote: string;
  readonly clone: ClientClone;
  readonly top: string;
  readonly release: LedgerRelease | null;
};

/** @throws TAG_NOT_PUSHED, TAG_ELSEWHERE */
async function refuseMoved(
  { place }: ClientClone,
  { tag: { tag, commit } }: TaggedPackage,
  remote: string,
): Promise<void> {
  const { tags } = await readTags(place);
  const there = tags.find(({ name }) => name === tag)?.commit ?? null;
  if (there === commit) return;
  if (there === null)
    throw new BevelstoneError('TAG_NOT_PUSHED', {
      message: `${remote} has no tag ${tag}`,
      why: 'clients find a release in git by its tag',
      fix: `Push it: git push origin refs/tags/${tag}`,
    });
  throw new BevelstoneError('TAG_ELSEWHERE', {
    message: `the tag ${tag} was moved`,
    why: `at ${remote} it leads to ${there}, here to ${commit}`,
    fix: 'Find out which one is right: whoever pinned the other commit gets something else under the same name',
  });
}

async function tryPackage(context: Context, question: Question): Promise<GitPackage> {
  const { pkg, tag, clone, release } = question;
  const client = gitClients[pkg.ecosystem] ?? null;
  const prefix = pkg.folder === '' ? '' : `${pkg.folder}/`;
  const paths = new Set(
    [...(await listFilesAt(clone.place, tag.commit, pkg.folder)).keys()].map((file) => file.slice(prefix.length)),
  );
  const base = { package: pkg.name, version: tag.version, tag: tag.tag, commit: tag.commit, folder: pkg.folder };
  const registry = await tryRegistry(context, question, client);
  if (client === null) {
    const why = `no client of ${pkg.ecosystem} packages installs from git; see bevelstone ledger lines ${pkg.name} --source`;
    const none: GitCell = { state: 'not-tried', why };
    const nothing = { client: null, clientVersion: null, manifest: null, extra: null, builtFirst: [], scripts: [] };
    return { ...base, ...nothing, git: none, archive: none, registry };
  }
  const { built, scripts } = await nodeFacts(question, { paths, prefix });
  const file = client.manifests.find((name) => paths.has(name)) ?? client.manifests[0] ?? '';
  const manifest = { file, isThere: paths.has(file) };
  const about = { ...base, client: client.client.name, manifest, registry, builtFirst: built, scripts };
  if (!manifest.isThere) {
    const none: GitCell = {
      state: 'fails',
      why: `${client.client.name} needs ${client.manifests.join(' or ')} in ${pkg.folder || 'the root'}`,
    };
    return { ...about, clientVersion: null, git: none, archive: none, extra: null };
  }
  const { outcomes, version } = await tryBoth(context, question, client);
  const brought = outcomes.git.type === 'installed' ? outcomes.git.files : null;
  const extra = await extraFiles(question, brought ?? (outcomes.git.type === 'installed' ? [...paths] : null), release);
  return {
    ...about,
    clientVersion: version,
    git: cellOf(outcomes.git, built),
    archive: cellOf(outcomes.archive, built),
    extra,
  };
}

function cellOf(outcome: GitOutcome, built: readonly NamedEntry[]): GitCell {
  if (outcome.type === 'impossible') return { state: 'not-tried', why: outcome.why };
  if (outcome.type === 'failed') return { state: 'fails', why: outcome.why };
  const [first] = built.filter(({ file }) => outcome.files === null || !outcome.files.includes(file));
  if (first === undefined) return { state: 'works', why: null };
  return {
    state: 'fails',
    why: `it is installed without ${first.file}, which \`${first.field}\` names: that is built first`,
  };
}

/** What package.json says of files that are built, for packages that have one. */
async function nodeFacts(
  { pkg, tag, clone }: Question,
  { paths, prefix }: { readonly paths: ReadonlySet<string>; readonly prefix: string },
): Promise<{ readonly built: readonly NamedEntry[]; readonly scripts: readonly string[] }> {
  const file = `${prefix}package.json`;
  if (!formsHaveEntries(pkg) || !paths.has('package.json')) return { built: [], scripts: [] };
  const text = (await readFilesAt(clone.place, tag.commit, [file])).get(file) ?? '';
  try {
    const manifest = parsePackageJson(text, file);
    return { built: builtFirst(manifest, paths), scripts: installScripts(manifest) };
  } catch (error) {
    if (isBevelstoneError(error, 'MANIFEST_INVALID')) return { built: [], scripts: [] };
    throw error;
  }
}

function formsHaveEntries({ config }: Package): boolean {
  return config.artifacts.length === 0 || config.artifacts.some(({ form }) => formDefinitions[form].hasNodeEntries);
}

async function tryBoth(
  context: Context,
  question: Question,
  { client, git, archive }: GitClient,
): Promise<{
  readonly outcomes: { readonly git: GitOutcome; readonly archive: GitOutcome };
  readonly version: string | null;
}> {
  const { pkg, tag, remote, clone, top } = question;
  const name = fileNameOf(pkg.name);
  const attempt = async (
    how: string,
    work: (stage: Parameters<typeof git>[1], tool: Parameters<typeof git>[0]) => Promise<GitOutcome>,
  ) => {
    const stage = await makeStage(context, path.join(top, `${name}-${how}`));
    const tool = await client.find(null, stage.env, context.signal);
    if (tool === null)
      return { outcome: { type: 'impossible' as const, why: `there is no ${client.name} here` }, version: null };
    const what = `install ${pkg.name} ${tag.version} ${how === 'git' ? 'from git' : 'from an archive of the commit'} with ${client.name}`;
    context.report({ type: 'started', what });
    const outcome = await work(stage, tool);
    if (outcome.type === 'failed') context.report({ type: 'failed', what, why: outcome.why.split('\n')[0] ?? '' });
    else if (outcome.type === 'impossible') context.report({ type: 'skipped', what, why: outcome.why });
    else context.report({ type: 'finished', what });
    return { outcome, version: tool.version };
  };
  const index = indexOf(context, question, client.name);
  const source: GitSource = {
    ...{ name: pkg.fullName, version: tag.version, folder: pkg.folder, remote },
    ...{ commit: tag.commit, hasHead: clone.hasHead, index },
  };
  const fromGit = await attempt('git', (stage, tool) => git(tool, stage, source));
  const file = path.join(top, `${name}.tar.gz`);
  await archiveCommit(clone.place, { commit: tag.commit, top: `${name}-${tag.version}`, file });
  const served = await serveFile(file, `${name}-${tag.version}.tar.gz`);
  try {
    const fromArchive = await attempt('archive', (stage, tool) => archive(tool, stage, { source, url: served.url }));
    return { outcomes: { git: fromGit.outcome, archive: fromArchive.outcome }, version: fromGit.version };
  } finally {
    await served.close();
  }
}

/** Where the client finds what the package needs: where its releases are. */
function indexOf(context: Context, { workspace, release }: Question, client: string): string | null {
  if (release === null) return null;
  const offers = offersOf(context, workspace, release);
  return offers.find(({ config }) => protocolDefinitions[config.speaks].client === client)?.url ?? null;
}

/** What the destinations of a release give to the same client. */
async function tryRegistry(
  context: Context,
  { pkg, tag, release }: Question,
  client: GitClient | null,
): Promise<GitCell> {
  if (release === null) return { state: 'not-tried', why: 'the release is not on record' };
  const what = `install ${pkg.name} ${tag.version} from its destinations`;
  const { releases } = await during(context, what, () =>
    confirmReleases(quietly(context), { release: `${pkg.name}@${tag.version}`, withinMs: 0 }),
  );
  const steps = releases
    .flatMap((one) => one.steps)
    .filter((step) => client === null || step.client === client.client.name);
  const [first] = steps;
  if (first === undefined) return { state: 'not-tried', why: 'no destination that this client reads has it' };
  const good = steps.find(({ state }) => state === 'installed' || state === 'unpacked');
  if (good !== undefined) return { state: 'works', why: null };
  return { state: first.state === 'not-here' ? 'not-tried' : 'fails', why: first.why };
}

/** Files that an install brings and no artifact of the release has. @param brought null where nothing was installed. */
async function extraFiles(
  { workspace }: Question,
  brought: readonly string[] | null,
  release: LedgerRelease | null,
): Promise<string[] | null> {
  if (brought === null || release === null || !release.isVouched) return null;
  try {
    const list = await readContentsList(workspace.repository, release);
    const known = new Set(release.artifacts.flatMap(({ file }) => namesIn(entriesIn(list, file) ?? [])));
    return brought.filter((file) => !known.has(file)).sort();
  } catch (error) {
    if (isBevelstoneError(error, 'LEDGER_DAMAGED')) return null;
    throw error;
  }
}

/** Names in an artifact, with and without the folder that everything lies in. */
function namesIn(entries: readonly Entry[]): string[] {
  const top = commonFolder(entries);
  return entries.flatMap(({ path: inside }) => [inside, inside.slice(top.length)]);
}

function noRemote(): BevelstoneError {
  return new BevelstoneError('REMOTE_MISSING', {
    message: 'there is no address that clients could clone',
    why: 'origin has none, and bevelstone.yaml has no `repository`',
    fix: 'Set `repository` in bevelstone.yaml to the address that people clone',
    where: { file: 'bevelstone.yaml' },
  });
}
