import { ownFile } from '../leftovers.ts';
import type { Repository } from './repository.ts';
import type { GitPlace } from './run-git.ts';

/** Runs work with an index of its own, so that the person's own is never touched. */
export async function withIndex<Value>(
  repository: Repository,
  work: (indexed: GitPlace) => Promise<Value>,
): Promise<Value> {
  const index = await ownFile(repository.commonFolder, 'index');
  try {
    return await work({ ...repository.place, indexFile: index.file });
  } finally {
    await index.remove();
  }
}
