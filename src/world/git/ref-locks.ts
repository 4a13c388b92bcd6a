import { readdir, rm, stat } from 'node:fs/promises';
import path from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { isMissing } from '../files.ts';

/** Much longer than git holds the lock of a ref, which it writes and renames. */
const patienceMs = 1500;

/**
 * Removes locks that a killed git has left on refs of this program. Only this program writes below `refs/bevelstone`, and whoever
 * calls this holds the workspace's lock; a lock that a running `publish` takes is gone after the wait.
 */
export async function sweepRefLocks(commonFolder: string): Promise<void> {
  const before = await locksBelow(path.join(commonFolder, 'refs', 'bevelstone'));
  if (before.size === 0) return;
  await sleep(patienceMs);
  for (const [file, mark] of await locksBelow(path.join(commonFolder, 'refs', 'bevelstone')))
    if (before.get(file) === mark) await rm(file, { force: true });
}

/** The same for tags that a run makes: their names are known, and a rival would have been refused by the lock. */
export async function sweepTagLocks(commonFolder: string, tags: readonly string[]): Promise<void> {
  const files = tags.map((tag) => path.join(commonFolder, 'refs', 'tags', `${tag}.lock`));
  const before = await Promise.all(files.map(markOf));
  if (before.every((mark) => mark === null)) return;
  await sleep(patienceMs);
  for (const [index, file] of files.entries()) {
    const mark = before[index];
    if (mark !== null && (await markOf(file)) === mark) await rm(file, { force: true });
  }
}

async function locksBelow(folder: string): Promise<Map<string, string>> {
  const found = new Map<string, string>();
  try {
    for (const item of await readdir(folder, { recursive: true, withFileTypes: true })) {
      if (!item.isFile() || !item.name.endsWith('.lock')) continue;
      const file = path.join(item.parentPath, item.name);
      const mark = await markOf(file);
      if (mark !== null) found.set(file, mark);
    }
  } catch (error) {
    if (!isMissing(error)) throw error;
  }
  return found;
}

/** Which file it is: another one has another number or time. */
async function markOf(file: string): Promise<string | null> {
  try {
    const { ino, mtimeMs } = await stat(file);
    return `${ino} ${mtimeMs}`;
  } catch (error) {
    if (isMissing(error)) return null;
    throw error;
  }
}
