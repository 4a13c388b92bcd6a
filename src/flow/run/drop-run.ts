import { removeFolder } from '../../world/files.ts';
import { forgetRun } from '../../world/git/release-commit.ts';
import type { Repository } from '../../world/git/repository.ts';
import type { Run } from './run.ts';

/** Leaves nothing of a run that nobody heard of. */
export async function dropRun(repository: Repository, { id, folder }: Pick<Run, 'id' | 'folder'>): Promise<void> {
  const { folder: root, env } = repository.place;
  // Also when the person has asked to stop.
  await forgetRun({ folder: root, env }, id);
  await removeFolder(folder);
}
