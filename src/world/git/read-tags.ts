import type { IgnoredTag, Tag } from '../../core/version/tag-pattern.ts';
import { findCommits } from './read-objects.ts';
import { type GitPlace, git } from './run-git.ts';

/** All tags that point to a commit, and those that do not. */
export async function readTags(
  place: GitPlace,
): Promise<{ readonly tags: readonly Tag[]; readonly ignored: readonly IgnoredTag[] }> {
  const format = ['%(refname)', '%(objecttype)', '%(objectname)', '%(*objecttype)', '%(*objectname)'].join('%00');
  const { text } = await git(place, ['for-each-ref', `--format=${format}`, 'refs/tags']);
  const rows = text.split('\n').filter((line) => line !== '');
  const read = rows.map((row) => {
    const [ref = '', type, id = '', innerType, innerId = ''] = row.split('\0');
    const name = ref.slice('refs/tags/'.length);
    if (type === 'commit') return { name, commit: id };
    return innerType === 'commit' ? { name, commit: innerId } : { name, commit: null };
  });
  const nested = read.filter(({ commit }) => commit === null).map(({ name }) => name);
  const peeled = nested.length === 0 ? new Map<string, string>() : await peel(place, nested);
  const tags = read.flatMap(({ name, commit }) => {
    const found = commit ?? peeled.get(name);
    return found === undefined ? [] : [{ name, commit: found }];
  });
  const lost = nested.filter((name) => !peeled.has(name));
  return { tags, ignored: lost.map((tag) => ({ tag, why: 'it does not point to a commit' })) };
}

/** Which of these tags the commit holds, itself or in its ancestors. One git process. */
export async function mergedTags(
  place: GitPlace,
  commit: string,
  names: readonly string[],
): Promise<ReadonlySet<string>> {
  const refs = names.map((name) => `refs/tags/${name}`);
  const { text } = await git(place, [
    'for-each-ref',
    `--merged=${commit}`,
    '--format=%(refname)',
    ...refs.map(escapeGlob),
  ]);
  return new Set(text.split('\n').map((ref) => ref.slice('refs/tags/'.length)));
}

async function peel(place: GitPlace, names: readonly string[]): Promise<Map<string, string>> {
  const refs = await findCommits(
    place,
    names.map((name) => `refs/tags/${name}`),
  );
  return new Map([...refs].map(([ref, id]) => [ref.slice('refs/tags/'.length), id]));
}

/** git forbids `*`, `?` and `[` in ref names, so nothing has to be escaped; this only holds that promise. */
function escapeGlob(ref: string): string {
  if (/[*?[\\]/.test(ref)) throw new Error(`not a ref name: ${ref}`);
  return ref;
}
