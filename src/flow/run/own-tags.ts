import { runRef } from '../../world/git/release-commit.ts';
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
  const { exitCode, text } = await git(repository.place, ['rev-parse', '--verify', '--quiet', runRef(run)], {
    allow: [1, 128],
  });
  return exitCode === 0 ? removeTagsAt(repository, text.trim(), '\nBevelstone-Run: ') : [];
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
    const tag = await git(place, ['cat-file', 'tag', id], { allow: [128] });
    if (tag.exitCode !== 0 || !tag.text.includes(mark)) continue;
    await git(place, ['update-ref', '-d', ref, id]);
    removed.push(ref.slice('refs/tags/'.length));
  }
  return removed;
}
