import { randomBytes } from 'node:crypto';
import { parseMessage } from '../../core/history/message-grammar.ts';
import { parseReferences } from '../../core/history/reference.ts';
import type { ChangeCommit } from '../../core/partial/select-partial.ts';
import type { Repository } from '../../world/git/repository.ts';
import { git } from '../../world/git/run-git.ts';

/** Commits between two, each with what it touches and whether it was selected; merges touch nothing of their own. */
export async function readChangeCommits(
  { place }: Repository,
  {
    from,
    to,
    isSelected,
  }: {
    readonly from: string;
    readonly to: string;
    readonly isSelected: (commit: Pick<ChangeCommit, 'id' | 'issues'>) => boolean;
  },
): Promise<ChangeCommit[]> {
  const range = `${from}..${to}`;
  // A random mark: no message and no path can imitate it.
  const mark = randomBytes(16).toString('hex');
  const messages = await git(place, ['log', '-z', `--format=${mark}%H%n%B`, range]);
  const touched = await git(place, ['log', '-z', '--no-renames', '--name-only', `--format=${mark}%H`, range]);
  const paths = new Map<string, Set<string>>();
  let current = new Set<string>();
  for (const piece of touched.text.split('\0')) {
    const line = piece.replace(/^\n/, '');
    if (line.startsWith(mark)) {
      current = new Set();
      paths.set(line.slice(mark.length).trim(), current);
    } else if (line !== '') current.add(line);
  }
  return messages.text.split(mark).flatMap((part) => {
    const [id = '', ...lines] = part.replaceAll('\0', '').split('\n');
    if (id === '') return [];
    const message = lines.join('\n');
    const issues = parseReferences(message, parseMessage(message)).issues.map((issue) => issue.replace(/^#/, ''));
    return [{ id, issues, paths: paths.get(id) ?? new Set<string>(), isSelected: isSelected({ id, issues }) }];
  });
}
