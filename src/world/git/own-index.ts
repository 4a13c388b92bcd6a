import { randomBytes } from 'node:crypto';
import { mkdir, rm } from 'node:fs/promises';
import path from 'node:path';
import type { Repository } from './repository.ts';
import type { GitPlace } from './run-git.ts';

/** Runs work with an index of its own, so that the person's own is never touched. */
export async function withIndex<Value>(
  repository: Repository,
  work: (indexed: GitPlace) => Promise<Value>,
): Promise<Value> {
  const folder = path.join(repository.commonFolder, 'bevelstone');
  await mkdir(folder, { recursive: true });
  const index = path.join(folder, `index-${randomBytes(6).toString('hex')}`);
  try {
    return await work({ ...repository.place, indexFile: index });
  } finally {
    await rm(index, { force: true });
  }
}
