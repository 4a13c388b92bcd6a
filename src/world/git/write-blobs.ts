import { writeFile } from 'node:fs/promises';
import path from 'node:path';
import { makeOwnFolder } from '../leftovers.ts';
import type { Repository } from './repository.ts';
import { git, gitLine } from './run-git.ts';

/** Writes contents into the repository as they are, in one git process. @returns their object ids, in the same order. */
export async function writeBlobs(
  { place, commonFolder }: Repository,
  contents: readonly (string | Uint8Array)[],
): Promise<string[]> {
  const [first, ...others] = contents;
  if (first === undefined) return [];
  const write = ['hash-object', '-w', '--no-filters'];
  if (others.length === 0) return [await gitLine(place, [...write, '--stdin'], { input: first })];
  const own = await makeOwnFolder(commonFolder, 'blobs');
  try {
    const files = contents.map((_, index) => path.join(own.folder, String(index)));
    for (const [index, content] of contents.entries()) await writeFile(files[index] ?? '', content);
    const { text } = await git(place, [...write, '--stdin-paths'], { input: `${files.join('\n')}\n` });
    return text.trim().split('\n');
  } finally {
    await own.remove();
  }
}
