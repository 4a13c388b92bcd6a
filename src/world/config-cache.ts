import { createHash } from 'node:crypto';
import path from 'node:path';
import { formatConfigCache, parseConfigCache } from '../core/record/config-cache.ts';
import { readTextIfThere, writeWhole } from './files.ts';

const fileName = 'config-cache.json';

/**
 * The checked configuration for a text, from the last time this very program checked it; else checks it now and remembers
 * it. Checking loads a schema library, which takes longer than all else that a survey of a small workspace does.
 * @param folder the git folder's own one; null for no cache.
 * @param build names the program to the byte; null for no cache.
 */
export async function cachedConfig<Config>(
  { folder, build, text }: { folder: string; build: string | null; text: string },
  check: () => Promise<Config>,
): Promise<Config> {
  if (build === null) return check();
  const file = path.join(folder, 'bevelstone', fileName);
  const key = createHash('sha256').update(`${build}\0${text}`).digest('hex');
  const held = parseConfigCache<Config>((await readTextIfThere(file)) ?? '', key);
  if (held !== null) return held;
  const config = await check();
  // A git folder that can't be written only makes the next survey slower.
  await writeWhole(file, formatConfigCache(key, config)).catch(() => {});
  return config;
}
