import path from 'node:path';
import { commonFolder, type Entry } from '../../../core/contents/entry.ts';
import { isBevelstoneError } from '../../../core/error/bevelstone-error.ts';
import { formDefinitions } from '../../../core/form/definitions.ts';
import { fileNameOf } from '../../../core/form/placeholder.ts';
import { parsePackageJson } from '../../../core/manifest/package-json.ts';
import { builtFirst, installScripts, type NamedEntry } from '../../../core/plan/built-first.ts';
import type { VersionTag } from '../../../core/version/tag-pattern.ts';
import { archiveCommit, type ClientClone } from '../../../world/git/client-clone.ts';
import { listFilesAt, readFilesAt } from '../../../world/git/read-objects.ts';
import { serveFile } from '../../../world/serve-file.ts';
import type { Context } from '../../context.ts';
import type { Package } from '../../workspace/workspace.ts';
import { makeStage } from '../trial.ts';
import { type GitClient, type GitOutcome, type GitSource, gitClients, type OtherPackages } from './clients.ts';

/** One way for one client to a package. */
export type GitCell = {
  readonly state: 'works' | 'fails' | 'not-tried';
  /** Why it does not work or was not tried; of one that works what is to be known all the same; null for nothing. */
  readonly why: string | null;
};

/** A package at a tag, as clients get it. */
export type GitTrial = {
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
  /** Files that an install from git brings and the artifact leaves out; null where they were not compared. */
  readonly extra: readonly string[] | null;
  /** Entries of the manifest that are not in git as users need them. */
  readonly builtFirst: readonly NamedEntry[];
  /** Scripts that run on the machine of whoever installs. */
  readonly scripts: readonly string[];
};

/** A package at a commit that clients can get, and where everything is. */
export type GitQuestion = {
  readonly pkg: Package;
  readonly tag: VersionTag;
  /** Address that clients are given. */
  readonly remote: string;
  readonly clone: ClientClone;
  /** A folder for everything that is made. */
  readonly top: string;
  readonly others: OtherPackages;
  /** Names in the artifacts of the release; null where they are not known. */
  readonly shipped: ReadonlySet<string> | null;
};

/** Tries what the client of a package's ecosystem does with its commit. */
export async function tryFromGit(context: Context, question: GitQuestion): Promise<GitTrial> {
  const { pkg, tag, clone, shipped } = question;
  const client = gitClients[pkg.ecosystem] ?? null;
  const prefix = pkg.folder === '' ? '' : `${pkg.folder}/`;
  const paths = new Set(
    [...(await listFilesAt(clone.place, tag.commit, pkg.folder)).keys()].map((file) => file.slice(prefix.length)),
  );
  const base = { package: pkg.name, version: tag.version, tag: tag.tag, commit: tag.commit, folder: pkg.folder };
  if (client === null) {
    const why = `no client of ${pkg.ecosystem} packages installs from git; see bevelstone ledger lines ${pkg.name} --source`;
    const none: GitCell = { state: 'not-tried', why };
    const nothing = { client: null, clientVersion: null, manifest: null, extra: null, builtFirst: [], scripts: [] };
    return { ...base, ...nothing, git: none, archive: none };
  }
  const { built, scripts } = await nodeFacts(question, { paths, prefix });
  const file = client.manifests.find((name) => paths.has(name)) ?? client.manifests[0] ?? '';
  const manifest = { file, isThere: paths.has(file) };
  const about = { ...base, client: client.client.name, manifest, builtFirst: built, scripts };
  if (!manifest.isThere) {
    const needs = client.manifests.join(' or ');
    const none: GitCell = {
      state: 'fails',
      why: `${client.client.name} needs ${needs} in ${pkg.folder || 'the root'}`,
    };
    return { ...about, clientVersion: null, git: none, archive: none, extra: null };
  }
  const { outcomes, version } = await tryBoth(context, question, client);
  // A client that does not say what it brought has a checkout of everything.
  const brought = outcomes.git.type === 'installed' ? (outcomes.git.files ?? [...paths]) : null;
  const extra = brought === null || shipped === null ? null : brought.filter((name) => !shipped.has(name)).sort();
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
  { pkg, tag, clone }: GitQuestion,
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
  question: GitQuestion,
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
  const source: GitSource = {
    ...{ name: pkg.fullName, version: tag.version, folder: pkg.folder, remote },
    ...{ commit: tag.commit, hasHead: clone.hasHead, ...question.others },
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

/** Names in an artifact, with and without the folder that everything lies in. */
export function namesIn(entries: readonly Entry[]): string[] {
  const top = commonFolder(entries);
  return entries.flatMap(({ path: inside }) => [inside, inside.slice(top.length)]);
}
