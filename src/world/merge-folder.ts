import { lstat, lutimes, mkdir, readdir, rename } from 'node:fs/promises';
import path from 'node:path';
import { isMissing } from './files.ts';

/**
 * Moves everything in a folder to another one on the same disk, which may have folders of the same names. Nothing is replaced.
 * @returns the path of a file that is there already; what came before it was moved. Null when all was moved.
 */
export async function mergeFolder(from: string, to: string): Promise<string | null> {
  await mkdir(to, { recursive: true });
  for (const item of await readdir(from, { withFileTypes: true })) {
    const [source, target] = [path.join(from, item.name), path.join(to, item.name)];
    const there = await lstat(target).catch((error: unknown) => {
      if (isMissing(error)) return null;
      throw error;
    });
    if (there === null) await rename(source, target);
    else if (!there.isDirectory() || !item.isDirectory()) return target;
    else {
      const taken = await mergeFolder(source, target);
      if (taken !== null) return taken;
    }
  }
  return null;
}

/** Gives everything below a folder one time, in seconds since 1970: what is older than what then tells programs nothing. */
export async function setTimes(folder: string, seconds: number): Promise<void> {
  for (const item of await readdir(folder, { withFileTypes: true })) {
    const place = path.join(folder, item.name);
    if (item.isDirectory()) await setTimes(place, seconds);
    await lutimes(place, seconds, seconds);
  }
}
