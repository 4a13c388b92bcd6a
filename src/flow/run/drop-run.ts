import path from 'node:path';
import { exists, moveFolder, removeFolder } from '../../world/files.ts';
import { forgetRun } from '../../world/git/release-commit.ts';
import type { Repository } from '../../world/git/repository.ts';
import { unreleasedFolder } from '../release-folder/built-release.ts';
import type { Run } from './run.ts';

/** Folder of a run's artifacts. */
export function outOf({ folder }: Pick<Run, 'folder'>): string {
  return path.join(folder, 'out');
}

/** Removes a run that was never public, but keeps its artifacts. */
export async function dropRunButArtifacts(repository: Repository, run: Pick<Run, 'id' | 'folder'>): Promise<void> {
  if (await exists(outOf(run))) await moveFolder(outOf(run), unreleasedFolder(repository));
  await dropRun(repository, run);
}

/** Removes a run that was never public. */
export async function dropRun(repository: Repository, { id, folder }: Pick<Run, 'id' | 'folder'>): Promise<void> {
  const { folder: root, env } = repository.place;
  // Also when the person has asked to stop.
  await forgetRun({ folder: root, env }, id);
  await removeFolder(folder);
}
