import { randomBytes } from 'node:crypto';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { parseMessage } from '../../core/history/message-grammar.ts';
import { parseReferences } from '../../core/history/reference.ts';
import type { ChangeCommit } from '../../core/partial/select-partial.ts';
import { type Repository, resolveCommit } from '../../world/git/repository.ts';
import { git } from '../../world/git/run-git.ts';

/** What `--changed-by` names: issues, and commits. */
export type ChangedBy = { readonly issues: ReadonlySet<string>; readonly commits: ReadonlySet<string> };

/** Reads `issue:12,issue:15`, `A..B` or single commits, separated by commas. @throws USAGE, COMMIT_NOT_FOUND */
export async function readChangedBy({ place }: Repository, text: string): Promise<ChangedBy> {
  const issues = new Set<string>();
  const commits = new Set<string>();
  for (const item of text.split(',').map((part) => part.trim())) {
    const issue = /^issue:#?([\w-]+)$/.exec(item)?.[1];
    const [, from, to] = /^(.+?)\.\.(.*)$/.exec(item) ?? [];
    if (item === '') throw noSelection(text);
    if (issue !== undefined) issues.add(issue);
    else if (from === undefined) commits.add(await resolveCommit(place, item));
    else {
      const [first, last] = [await resolveCommit(place, from), await resolveCommit(place, to || 'HEAD')];
      const ids = (await git(place, ['rev-list', `${first}..${last}`])).text.split('\n');
      for (const id of ids) if (id !== '') commits.add(id);
    }
  }
  return { issues, commits };
}

/** Commits between two, each with what it touches and whether it was selected; merges touch nothing of their own. */
export async function readChangeCommits(
  { place }: Repository,
  { from, to, changedBy }: { readonly from: string; readonly to: string; readonly changedBy: ChangedBy },
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
    const isSelected = changedBy.commits.has(id) || issues.some((issue) => changedBy.issues.has(issue));
    return [{ id, issues, paths: paths.get(id) ?? new Set<string>(), isSelected }];
  });
}

function noSelection(text: string): BevelstoneError {
  return new BevelstoneError('USAGE', {
    message: `invalid value for --changed-by: ${JSON.stringify(text)}`,
    why: 'it names issues, commits or ranges of commits, separated by commas',
    fix: 'Write for example: --changed-by issue:12,issue:15 or --changed-by v1.3.2..HEAD',
  });
}
