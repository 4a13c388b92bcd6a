import type { Repository } from '../../world/git/repository.ts';
import { git } from '../../world/git/run-git.ts';
import type { Run } from './run.ts';

/** Takes away tags that a run made here and never pushed: those that carry its mark, and by their ids. */
export async function removeOwnTags(repository: Repository, { journal, opened }: Run): Promise<string[]> {
  const commit = journal.done<{ commit: string }>('committed')?.commit;
  if (commit === undefined) return [];
  const { place } = repository;
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
    if (tag.exitCode !== 0 || !tag.text.includes(`\nBevelstone-Run: ${opened.mark}\n`)) continue;
    await git(place, ['update-ref', '-d', ref, id]);
    removed.push(ref.slice('refs/tags/'.length));
  }
  for (const name of removed) journal.append({ step: 'tagged', key: name, phase: 'failed' });
  return removed;
}
