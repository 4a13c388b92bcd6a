import { checkIdentity } from './repository.ts';
import { type GitPlace, git } from './run-git.ts';

/** What git says when it is asked whether something would work; null when it would. */
export type Complaint = string | null;

/** Whether a branch and new tags could be pushed, by a push that sends nothing. */
export async function pushProblem(place: GitPlace, remote: string, refs: readonly string[]): Promise<Complaint> {
  return complaint(place, ['push', '--dry-run', '--porcelain', '--no-verify', remote, ...refs]);
}

/** Whether git's own signing setup works, by a signed object that nothing names. */
export async function signingProblem(place: GitPlace): Promise<Complaint> {
  return complaint(place, ['commit-tree', '-S', '-m', 'Try the signature', 'HEAD^{tree}']);
}

/** Whether git knows who commits and tags. */
export async function identityProblem(place: GitPlace): Promise<Complaint> {
  return checkIdentity(place).then(
    () => null,
    (error: Error & { why?: string }) => error.why ?? error.message,
  );
}

async function complaint(place: GitPlace, args: readonly string[]): Promise<Complaint> {
  try {
    await git(place, args);
    return null;
  } catch (error) {
    place.signal?.throwIfAborted();
    return (error as { why?: string }).why ?? String(error);
  }
}
