import { setTimeout as sleep } from 'node:timers/promises';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { ledgerRef, uniteWithRemote } from './ledger-store.ts';
import { readRemoteRefs } from './remote-refs.ts';
import { remoteMessage } from './remote-words.ts';
import type { Repository } from './repository.ts';
import { type GitPlace, git } from './run-git.ts';

/** Everything that a release pushes, as one. Ids are those of the objects, tags not peeled. */
export type ReleasePush = {
  readonly remote: string;
  /** Null when no branch moves. */
  readonly branch: { readonly name: string; readonly from: string | null; readonly to: string } | null;
  readonly tags: readonly { readonly name: string; readonly id: string }[];
};

/** Who has the release now: we do, a rival does, or the branch went on without us. */
export type PushVerdict = 'won' | 'lost' | 'stale';

const tries = 6;

/** Words of a remote that will not change its mind. */
const forGood = /protected|hook declined|denied|prohibited/i;

/**
 * Pushes branch, tags and ledger as one: all or nothing. Whatever the answer of a push is, the remote is asked what it has:
 * the tags decide. When only the ledger moved, it is united and all is pushed again.
 * @throws REMOTE_REFUSED with the remote's words.
 */
export async function pushRelease(repository: Repository, push: ReleasePush): Promise<PushVerdict> {
  const { remote, branch, tags } = push;
  const specs = [
    ...(branch === null ? [] : [`${branch.to}:refs/heads/${branch.name}`]),
    ...tags.map(({ name }) => `refs/tags/${name}:refs/tags/${name}`),
    `${ledgerRef}:${ledgerRef}`,
  ];
  for (let attempt = 1; ; attempt++) {
    const args = ['push', '--atomic', '--porcelain', '--no-verify', remote, ...specs];
    const { exitCode, text, stderr } = await git(repository.place, args, { allow: [1, 128] });
    // Without a tag of ours in it, neither could be the first.
    if (exitCode === 0 && tags.length === 0) return 'won';
    const verdict = await askVerdict(repository.place, push);
    if (verdict !== 'absent') return verdict;
    const refused = text.split('\n').filter((line) => line.startsWith('!'));
    // Another push at the same moment, or only the ledger that moved: the next try meets what came of it.
    if (attempt >= tries || refused.length === 0 || refused.some((line) => forGood.test(line)))
      throw refusedBy(remote, refused, stderr);
    await uniteWithRemote(repository, remote);
    await sleep(50 * attempt + Math.random() * 200);
  }
}

/**
 * Asks the remote what came of a push.
 * @throws REMOTE_REFUSED when it can't be asked.
 */
export async function askVerdict(
  place: GitPlace,
  { remote, branch, tags }: ReleasePush,
): Promise<PushVerdict | 'absent'> {
  const heads = await readRemoteRefs(place, remote, [
    ...tags.map(({ name }) => `refs/tags/${name}`),
    ...(branch === null ? [] : [`refs/heads/${branch.name}`]),
  ]);
  const found = tags.map(({ name, id }) => [heads.get(`refs/tags/${name}`) ?? null, id] as const);
  if (tags.length > 0 && found.every(([there, own]) => there === own)) return 'won';
  if (found.some(([there]) => there !== null)) return 'lost';
  if (branch === null) return 'absent';
  const head = heads.get(`refs/heads/${branch.name}`) ?? null;
  return head === branch.from || head === branch.to ? 'absent' : 'stale';
}

function refusedBy(remote: string, refused: readonly string[], stderr: string): BevelstoneError {
  const words = remoteMessage(refused, stderr);
  const isProtected = forGood.test(words);
  return new BevelstoneError('REMOTE_REFUSED', {
    message: `${remote} rejected the release's commit, tags and plan`,
    why: words,
    fix: isProtected
      ? 'Let the releasing account push to this branch, or set `write-back.commit: false`, which pushes tags only; nothing was uploaded'
      : 'Check that you may push the branch and tags there, then run the same command again; nothing was uploaded',
  });
}
