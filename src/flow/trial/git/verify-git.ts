import path from 'node:path';
import { BevelstoneError, isBevelstoneError } from '../../../core/error/bevelstone-error.ts';
import { fileNameOf } from '../../../core/form/placeholder.ts';
import type { LedgerRelease } from '../../../core/ledger/fold.ts';
import { protocolDefinitions } from '../../../core/protocol/definitions.ts';
import { entriesIn } from '../../../core/record/contents-list.ts';
import { assignTags, type VersionTag } from '../../../core/version/tag-pattern.ts';
import { type ClientClone, cloneAsClient } from '../../../world/git/client-clone.ts';
import { readTags } from '../../../world/git/read-tags.ts';
import { resolveCommit } from '../../../world/git/repository.ts';
import { makeOwnFolder } from '../../../world/leftovers.ts';
import { type Context, during, quietly } from '../../context.ts';
import { offersOf } from '../../ledger/lines.ts';
import { readContentsList } from '../../ledger-record/last-artifact.ts';
import { readLedger } from '../../ledger-record/ledger.ts';
import { cloneAddress } from '../../workspace/clone-address.ts';
import { openContext, type Package, readWorkspace, selectPackages, type Workspace } from '../../workspace/workspace.ts';
import type { Wanted } from '../client/client.ts';
import { npmTokenVariable } from '../client/npm.ts';
import { confirmReleases } from '../confirm.ts';
import { upstreamFor, withUpstream } from '../outside.ts';
import { gitClients, type OtherPackages } from './clients.ts';
import { type GitCell, type GitTrial, namesIn, tryFromGit } from './try-from-git.ts';

/** A package at a tag, from git and from where it was delivered. */
export type GitPackage = GitTrial & { readonly registry: GitCell };

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
      const question: Question = { workspace, ...one, release: release ?? null };
      const registry = await orUnaddressed(
        () => tryRegistry(context, question),
        (why): GitCell => ({ state: 'not-tried', why }),
      );
      const shipped = await shippedNames(question);
      const { others, close } = await orUnaddressed(
        () => otherPackages(context, question, own.folder),
        () => ({ others: nowhere, close: async () => {} }),
      );
      try {
        const trial = await tryFromGit(context, { ...one, remote, clone, top: own.folder, others, shipped });
        packages.push({ ...trial, registry });
      } finally {
        await close();
      }
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

/** A release that is looked at. */
type Question = TaggedPackage & { readonly workspace: Workspace; readonly release: LedgerRelease | null };

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

const nowhere: OtherPackages = { index: null, second: null, readingEnv: {} };

/** What is known where the address of a destination stands in a variable that is not set: git can be tried all the same. */
async function orUnaddressed<Value>(ask: () => Promise<Value>, otherwise: (why: string) => Value): Promise<Value> {
  try {
    return await ask();
  } catch (error) {
    if (!isBevelstoneError(error, 'ENVIRONMENT_MISSING')) throw error;
    return otherwise(`${error.message}: ${error.why}`);
  }
}

/** Where the client finds what the package needs: where its releases are, and what `confirm.upstream` names. */
async function otherPackages(
  context: Context,
  { workspace, release, pkg }: Question,
  folder: string,
): Promise<{ readonly others: OtherPackages; readonly close: () => Promise<void> }> {
  const client = gitClients[pkg.ecosystem]?.client.name;
  const offers = release === null ? [] : offersOf(context, workspace, release);
  const offer = offers.find(({ config }) => protocolDefinitions[config.speaks].client === client);
  if (offer === undefined) return { others: nowhere, close: async () => {} };
  const { upstream: config } = workspace.config.confirm;
  const upstream = upstreamFor(context, 'confirm.upstream', { config, speaks: offer.config.speaks });
  const asked: Wanted = { offer, credential: { type: 'none' }, upstream, moved: [], files: null };
  const inside = new Set(workspace.packages.map(({ fullName }) => fullName));
  const place = path.join(folder, fileNameOf(pkg.name));
  const { wanted, close } = await withUpstream(context, asked, { folder: place, inside });
  const isOne = wanted !== asked;
  const { url } = wanted.offer;
  const readingEnv = isOne ? npmTokenVariable(url, wanted.credential) : {};
  return { others: { index: url, second: isOne ? null : upstream, readingEnv }, close };
}

/** What the destinations of a release give to the same client. */
async function tryRegistry(context: Context, { pkg, tag, release }: Question): Promise<GitCell> {
  const client = gitClients[pkg.ecosystem] ?? null;
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

/** Names in the artifacts of a release on record; null where nothing vouches for what is on record. */
async function shippedNames({ workspace, release }: Question): Promise<ReadonlySet<string> | null> {
  if (release?.isVouched !== true) return null;
  try {
    const list = await readContentsList(workspace.repository, release);
    return new Set(release.artifacts.flatMap(({ file }) => namesIn(entriesIn(list, file) ?? [])));
  } catch (error) {
    if (isBevelstoneError(error, 'LEDGER_DAMAGED')) return null;
    throw error;
  }
}

function noRemote(): BevelstoneError {
  return new BevelstoneError('REMOTE_MISSING', {
    message: 'there is no address that clients could clone',
    why: 'origin has none, and bevelstone.yaml has no `repository`',
    fix: 'Set `repository` in bevelstone.yaml to the address that people clone',
    where: { file: 'bevelstone.yaml' },
  });
}
