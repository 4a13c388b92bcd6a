import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
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

/** Whether a commit is named, itself or by an issue that it refers to. */
export function isChangedBy(
  { issues, commits }: ChangedBy,
  commit: { readonly id: string; readonly issues: readonly string[] },
): boolean {
  return commits.has(commit.id) || commit.issues.some((issue) => issues.has(issue));
}

function noSelection(text: string): BevelstoneError {
  return new BevelstoneError('USAGE', {
    message: `invalid value for --changed-by: ${JSON.stringify(text)}`,
    why: 'it names issues, commits or ranges of commits, separated by commas',
    fix: 'Write for example: --changed-by issue:12,issue:15 or --changed-by v1.3.2..HEAD',
  });
}
