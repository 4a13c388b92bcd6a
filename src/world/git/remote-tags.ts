import type { TagAnchor, TagAnchors } from '../../core/ledger/fold.ts';
import { readObject, readObjects } from './object-reader.ts';
import { readRemoteRefs } from './remote-refs.ts';
import { type GitPlace, git, gitLine } from './run-git.ts';

/** A tag as a remote has it: the commit it peels to, and whether it is annotated. */
export type RemoteTag = { readonly commit: string; readonly isAnnotated: boolean };

/**
 * What tags of this clone say of the plans behind them.
 * @param names tags that are asked about; those that are not here are left out.
 */
export async function readAnchors(place: GitPlace, names: readonly string[]): Promise<TagAnchors> {
  const objects = await readObjects(
    place,
    names.flatMap((name) => [`refs/tags/${name}^{commit}`, `refs/tags/${name}^{tag}`]),
  );
  const found = new Map<string, TagAnchor>();
  for (const [index, name] of names.entries()) {
    const [commit, tag] = [objects[2 * index], objects[2 * index + 1]];
    // A tag of something else names no commit that anyone released.
    const id = commit?.id ?? tag?.id;
    if (id !== undefined)
      found.set(name, { commit: id, plan: tag ? planIn(bodyOf(tag.bytes.toString('utf8'))) : null });
  }
  return found;
}

/** What follows the subject of an annotated tag, without a signature (git-tag: gpgsig at the end of the message). */
function bodyOf(text: string): string {
  const message = text.slice(text.indexOf('\n\n') + 2).replace(/^\n+/, '');
  const signature = [
    ...message.matchAll(/^-----BEGIN (?:PGP SIGNATURE|PGP MESSAGE|SSH SIGNATURE|SIGNED MESSAGE)-----/gm),
  ];
  const unsigned = message.slice(0, signature.at(-1)?.index ?? message.length);
  const end = unsigned.indexOf('\n\n');
  return end === -1 ? '' : unsigned.slice(end + 2);
}

/** Only the last lines count: the notes above them hold text of commit messages. */
function planIn(body: string): string | null {
  return /(?:^|\n\n)Bevelstone-Run: [0-9a-f]{32}\nBevelstone-Plan: ([0-9a-f]{64})\s*$/.exec(body)?.[1] ?? null;
}

/** Those of the tags that the remote has. @throws REMOTE_REFUSED when it can't be reached. */
export async function readRemoteTags(
  place: GitPlace,
  remote: string,
  tags: readonly string[],
): Promise<Map<string, RemoteTag>> {
  const refs = tags.flatMap((tag) => [`refs/tags/${tag}`, `refs/tags/${tag}^{}`]);
  const found = new Map<string, RemoteTag>();
  for (const [ref, commit] of await readRemoteRefs(place, remote, refs)) {
    const [, name = '', peeled] = /^refs\/tags\/(.+?)(\^\{\})?$/.exec(ref) ?? [];
    if (name === '' || (found.has(name) && peeled === undefined)) continue;
    found.set(name, { commit, isAnnotated: peeled !== undefined });
  }
  return found;
}

/** How a tag is made: dated in seconds since 1970, so that making it again gives the same; signed by git's own setup or not. */
export type TagMaking = { readonly time?: number; readonly isSigned?: boolean };

/** Makes an annotated tag. The message goes in by standard input, so that any text is safe. */
export async function makeTag({
  place,
  name,
  commit,
  message,
  tagMaking: { time, isSigned = false } = {},
}: {
  readonly place: GitPlace;
  readonly name: string;
  readonly commit: string;
  readonly message: string;
  readonly tagMaking?: TagMaking;
}): Promise<void> {
  const kind = isSigned ? '--sign' : '--no-sign';
  await git(place, ['tag', '--annotate', kind, '--cleanup=verbatim', '--file=-', name, commit], {
    input: message,
    ...(time === undefined ? {} : { env: { GIT_COMMITTER_DATE: `${time} +0000` } }),
  });
}

/** The commit that a local tag peels to, and whether it is annotated; null when there is none. */
export async function readLocalTag(place: GitPlace, name: string): Promise<RemoteTag | null> {
  const ref = `refs/tags/${name}`;
  const [tag = null, commit = null] = await readObjects(place, [`${ref}^{tag}`, `${ref}^{commit}`]);
  return commit === null ? null : { commit: commit.id, isAnnotated: tag !== null };
}

/** The id of what a local tag names: of the tag itself where it is annotated. @throws GIT_FAILED when there is none. */
export async function tagObject(place: GitPlace, name: string): Promise<string> {
  const ref = `refs/tags/${name}`;
  const [tag = null, commit = null] = await readObjects(place, [`${ref}^{tag}`, `${ref}^{commit}`]);
  return tag?.id ?? commit?.id ?? gitLine(place, ['rev-parse', '--verify', ref]);
}

/** A local annotated tag, by its name or id: its text with its headers; null when it is lightweight or not there. */
export async function readTag(
  place: GitPlace,
  name: string,
): Promise<{ readonly id: string; readonly text: string } | null> {
  const object = await readObject(place, `${name}^{tag}`);
  return object !== null ? { id: object.id, text: object.bytes.toString('utf8') } : null;
}
