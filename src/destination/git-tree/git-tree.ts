import path from 'node:path';
import { commonFolder } from '../../core/contents/entry.ts';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import {
  distAddress,
  distBranch,
  distMessage,
  distTag,
  readDistMessage,
} from '../../core/protocol/git-tree/git-refs.ts';
import type { Connection } from '../../store/connection.ts';
import type { Access, ListedParcel, NameState, Parcel, Presence, Subject } from '../../store/parcel.ts';
import { extractArchive } from '../../world/archive/extract.ts';
import { makeFolder, makeTemporaryFolder, removeFolder } from '../../world/files.ts';
import { readRemoteRefs } from '../../world/git/remote-refs.ts';
import { TreeRepository } from '../../world/git/tree-repository.ts';
import { type Destination, makeDestination, type Pointed, type Sending, type Withdrawal } from '../destination.ts';

/** A repository that gets releases. */
type Trees = Pick<Connection, 'name' | 'url' | 'signal' | 'env'> & { readonly under: string };

/** As often as another publisher may be quicker. */
const tries = 6;

/** What is in an artifact as a commit on a branch, with a tag. Access is git's own affair: its credential helpers, its keys. */
export function connectGitTree({ name, config, url, signal, env }: Connection): Destination {
  const trees: Trees = { name, url, signal, under: config.under, env };
  return makeDestination({ name, speaks: config.speaks, over: null, url }, trees, {
    access,
    nameState,
    find,
    deliver,
    open: async () => {
      throw new BevelstoneError('DESTINATION_ANSWER', {
        message: `${name} has no artifact to download`,
        why: 'a repository has what is in it, as files',
        fix: 'Take the artifact from another destination',
      });
    },
    isListed: async (_trees, parcel) => isListed(trees, parcel),
    point: async (_trees, all) => point(trees, all),
    fallBack: async () => [],
    withdraw: async (_trees, subject) => withdraw(trees, subject),
  });
}

async function access(trees: Trees): Promise<Access> {
  const refs = await refsOf(trees, ['HEAD']);
  const withoutHead = refs.has('HEAD') ? [] : ['installs with npm: its HEAD leads to no branch, and npm needs one'];
  return {
    credential: 'unknown',
    why: 'git has credentials of its own',
    untested: ['write permission', ...withoutHead],
    server: null,
    places: [],
    opens: 'unknown',
    skewMs: null,
  };
}

/** The refs of the remote. @throws DESTINATION_UNREACHABLE */
async function refsOf(
  { name, url, signal, env }: Trees,
  refs: readonly string[],
): Promise<ReadonlyMap<string, string>> {
  const folder = await makeTemporaryFolder('bevelstone-git-tree-');
  try {
    return await readRemoteRefs({ folder, env, signal }, url, refs);
  } catch (cause) {
    if (!isBevelstoneError(cause, 'REMOTE_REFUSED')) throw cause;
    throw new BevelstoneError('DESTINATION_UNREACHABLE', {
      message: `${name} cannot be read`,
      why: cause.why,
      fix: `Check the address and what git needs for it: git ls-remote ${url}`,
      cause,
    });
  } finally {
    await removeFolder(folder);
  }
}

async function nameState(trees: Trees, subject: Subject): Promise<NameState> {
  const tag = distTag(trees.under, subject);
  const refs = await refsOf(trees, [tag]);
  return { nameState: 'ours', versionState: refs.has(tag) ? 'there' : 'free', why: null };
}

async function find(trees: Trees, parcel: Parcel, all: readonly Parcel[]): Promise<Presence> {
  refuseSeveral(trees, all);
  const tag = distTag(trees.under, parcel);
  if (!(await refsOf(trees, [tag])).has(tag)) return { type: 'absent' };
  return within(trees, async (repository, folder) => {
    const there = await repository.remoteCommit(tag);
    if (there === null) return { type: 'absent' };
    const tree = await treeOf(repository, parcel, folder);
    if (there.tree === tree) return { type: 'same', address: distAddress(trees.url, tag) };
    const of = readDistMessage(there.message);
    const what =
      of === null ? 'a commit of somebody else' : `what was in ${of.fileName} (SHA-256 ${of.sha256.slice(0, 12)}…)`;
    return { type: 'different', why: `the tag ${tag.slice('refs/tags/'.length)} leads to ${what}` };
  });
}

async function deliver(trees: Trees, parcel: Parcel, { all, moved }: Sending): Promise<string> {
  refuseSeveral(trees, all);
  const [tag, branch] = [distTag(trees.under, parcel), distBranch(parcel)];
  return within(trees, async (repository, folder) => {
    const tree = await treeOf(repository, parcel, folder);
    let before: string | null = null;
    for (let attempt = 1; ; attempt++) {
      const parent: string | null = (await repository.remoteCommit(branch))?.id ?? null;
      // The words of a refusal differ from server to server; whether somebody else was there shows by the branch.
      const isStill = attempt > 2 && parent === before;
      before = parent;
      const commit = await repository.commit(tree, { message: distMessage(parcel), parent, time: parcel.sourceTime });
      const refused = await repository.push(commit, [branch, tag]);
      if (refused === null) break;
      if ((await refsOf(trees, [tag])).has(tag)) throw exists(trees, tag);
      if (isStill || attempt === tries) throw rejected(trees, refused);
    }
    moved(parcel.sizeBytes);
    return distAddress(trees.url, tag);
  });
}

/** Runs work in a repository of its own, which is removed afterwards. */
async function within<Value>(
  { url, signal, env }: Trees,
  work: (repository: TreeRepository, folder: string) => Promise<Value>,
): Promise<Value> {
  const folder = await makeTemporaryFolder('bevelstone-git-tree-');
  try {
    const place = path.join(folder, 'repository');
    await makeFolder(place);
    return await work(await TreeRepository.make(place, url, { env, signal }), folder);
  } finally {
    await removeFolder(folder);
  }
}

/** The tree of what is in an artifact, without the one folder that everything lies in. */
async function treeOf(repository: TreeRepository, parcel: Parcel, folder: string): Promise<string> {
  const unpacked = path.join(folder, 'unpacked');
  const paths = await extractArchive(parcel.file, unpacked);
  const files = paths.filter((inside) => !inside.endsWith('/')).map((inside) => ({ path: inside }));
  const tree = await repository.treeOf(path.join(unpacked, commonFolder(files)));
  const names = await repository.namesIn(tree);
  if (names.length === files.length) return tree;
  throw new BevelstoneError('DESTINATION_REFUSED', {
    message: `${parcel.fileName} cannot be a tree of git as it is`,
    why: `${files.length} files are in it, and ${names.length} in the tree`,
    fix: 'Leave out what git does not take, such as a folder .git',
  });
}

async function isListed(trees: Trees, parcel: ListedParcel): Promise<string | true> {
  const tag = distTag(trees.under, parcel);
  return (await refsOf(trees, [tag])).has(tag) || `it has no tag ${tag.slice('refs/tags/'.length)} yet`;
}

/** The branch was pushed together with the tag. */
async function point(trees: Trees, [parcel]: readonly Parcel[]): Promise<Pointed[]> {
  if (parcel === undefined) return [];
  const [tag, branch] = [distTag(trees.under, parcel), distBranch(parcel)];
  const refs = await refsOf(trees, [tag, branch]);
  const pointer = branch.slice('refs/heads/'.length);
  return [{ pointer, from: null, moved: refs.get(tag) === refs.get(branch) }];
}

async function withdraw({ name }: Trees, { packageName, version }: Subject): Promise<Withdrawal> {
  throw new BevelstoneError('WITHDRAW_IMPOSSIBLE', {
    message: `${packageName} ${version} cannot be taken back from ${name}`,
    why: 'a branch keeps what was pushed to it, and nothing is pushed by force',
    fix: 'Release a corrected version, or remove the tag by hand',
  });
}

/** A tree has what is in one artifact. */
function refuseSeveral({ name }: Trees, all: readonly Parcel[]): void {
  const [first, second] = all;
  if (first === undefined || second === undefined) return;
  throw new BevelstoneError('DESTINATION_REFUSED', {
    message: `${name} takes one artifact of a release, and ${first.packageName} has several for it`,
    why: `${first.fileName} and ${second.fileName} would be two trees under one tag`,
    fix: `Say which with \`takes\` of ${name}, for example: takes: [${first.form}]`,
  });
}

function exists({ name }: Trees, tag: string): BevelstoneError {
  return new BevelstoneError('DELIVERY_EXISTS', {
    message: `${name} has the tag ${tag.slice('refs/tags/'.length)} already`,
    why: 'another publisher was quicker, or an earlier answer was lost',
    fix: 'Run the same command again; it looks at what is there first',
  });
}

function rejected({ name, url }: Trees, why: string): BevelstoneError {
  return new BevelstoneError('DESTINATION_REFUSED', {
    message: `${name} did not take the push`,
    why,
    fix: `Check that you may push to refs/heads/dist/ and to tags there: ${url}`,
  });
}
