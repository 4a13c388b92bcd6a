import type { TagAnchor, TagAnchors } from '../../core/ledger/fold.ts';
import { readRemoteRefs } from './remote-refs.ts';
import { type GitPlace, git, gitLine } from './run-git.ts';

/** A tag as a remote has it: the commit it peels to, and whether it is annotated. */
export type RemoteTag = { readonly commit: string; readonly isAnnotated: boolean };

/** Above this number all tags are read at once: a command line has a limit. */
const maxNamedTags = 200;

/**
 * What tags of this clone say of the plans behind them. One git process.
 * @param names tags that are asked about; those that are not here are left out.
 */
export async function readAnchors(place: GitPlace, names: readonly string[]): Promise<TagAnchors> {
  if (names.length === 0) return new Map();
  const refs = names.length > maxNamedTags ? ['refs/tags'] : names.map((name) => `refs/tags/${name}`);
  const format = '%(refname)%00%(objectname)%00%(*objectname)%00%(contents:body)%00';
  const { text } = await git(place, ['for-each-ref', `--format=${format}`, ...refs]);
  const wanted = new Set(names);
  const found = new Map<string, TagAnchor>();
  // Four fields each, and any of them may be empty: only their number tells where a tag ends.
  const fields = text.split('\0');
  for (let at = 0; at + 3 < fields.length; at += 4) {
    const [ref = '', object = '', peeled = '', body = ''] = fields.slice(at, at + 4);
    const name = ref.trimStart().slice('refs/tags/'.length);
    if (!wanted.has(name)) continue;
    found.set(name, { commit: peeled === '' ? object : peeled, plan: peeled === '' ? null : planIn(body) });
  }
  return found;
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

/** The id of the tag itself, not of what it names. */
export async function tagObject(place: GitPlace, name: string): Promise<string> {
  return gitLine(place, ['rev-parse', '--verify', `refs/tags/${name}`]);
}

/** The commit that a local tag peels to, and whether it is annotated; null when there is none. */
export async function readLocalTag(place: GitPlace, name: string): Promise<RemoteTag | null> {
  const ask = (suffix: string) =>
    git(place, ['rev-parse', '--verify', '--quiet', `refs/tags/${name}${suffix}`], { allow: [1, 128] });
  const [object, commit] = await Promise.all([ask(''), ask('^{commit}')]);
  if (commit.exitCode !== 0) return null;
  return { commit: commit.text.trim(), isAnnotated: object.text.trim() !== commit.text.trim() };
}

/** The text of a local annotated tag with its headers; null when it is lightweight or not there. */
export async function readTagMessage(place: GitPlace, name: string): Promise<string | null> {
  const { exitCode, text } = await git(place, ['cat-file', 'tag', `refs/tags/${name}`], { allow: [1, 128] });
  return exitCode === 0 ? text : null;
}
