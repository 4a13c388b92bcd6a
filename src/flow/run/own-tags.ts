import { idOf } from '../../world/git/object-reader.ts';
import { runRef } from '../../world/git/release-commit.ts';
import { readTag } from '../../world/git/remote-tags.ts';
import type { Repository } from '../../world/git/repository.ts';
import { git } from '../../world/git/run-git.ts';
import type { Run } from './run.ts';

/** Removes tags that a run made here and never pushed: those that carry its mark, by their ids. @returns their names. */
export async function removeOwnTags(repository: Repository, { journal, opened }: Run): Promise<string[]> {
  const commit = journal.done<{ commit: string }>('committed')?.commit;
  if (commit === undefined) return [];
  const removed = await removeTagsAt(repository, commit, `\nBevelstone-Run: ${opened.mark}\n`);
  for (const name of removed) journal.append({ step: 'tagged', key: name, phase: 'failed' });
  return removed;
}

/** The same where only the run's ref is left to say which commit it made: tags of any run at it. */
export async function removeMarkedTags(repository: Repository, run: string): Promise<string[]> {
  const commit = await idOf(repository.place, `${runRef(run)}^{commit}`);
  return commit === null ? [] : removeTagsAt(repository, commit, '\nBevelstone-Run: ');
}

async function removeTagsAt({ place }: Repository, commit: string, mark: string): Promise<string[]> {
  const { text } = await git(place, [
    'for-each-ref',
    '--points-at',
    commit,
    '--format=%(objectname) %(refname)',
    'refs/tags',
  ]);
  const removed: string[] = [];
  for (const line of text.split('\n').filter(Boolean)) {
    const [id = '', ref = ''] = line.split(' ');
    if ((await readTag(place, id))?.text.includes(mark) !== true) continue;
    await git(place, ['update-ref', '-d', ref, id]);
    removed.push(ref.slice('refs/tags/'.length));
  }
  return removed;
}
