import { lstat, mkdir, rename, rm } from 'node:fs/promises';
import path from 'node:path';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { exists, isMissing, readTextIfThere } from './files.ts';
import { ownSuffix, registerOwn } from './leftovers.ts';

/** Lies in every folder that this program made, and marks it as one that may be replaced. */
const markerName = 'release.json';

/**
 * Fills a new folder and puts it in the place of the old one; a reader sees one or the other. Only a folder that was made here
 * is replaced: another one may contain a user's work.
 * @param final absolute path. @param fill gets the folder to fill, and writes a release.json into it.
 * @throws FOLDER_NOT_OURS before anything is done.
 */
export async function replaceFolder<Value>(
  commonFolder: string,
  final: string,
  fill: (fresh: string) => Promise<Value>,
): Promise<Value> {
  await refuseForeign(final);
  const fresh = `${final}.${ownSuffix()}.tmp`;
  const old = `${final}.${ownSuffix()}.old`;
  const forgets = [await registerOwn(commonFolder, fresh), await registerOwn(commonFolder, old)];
  try {
    return await fillFresh({
      fresh,
      fill: () => fill(fresh),
      settle: async () => {
        if (await exists(final)) await rename(final, old);
        await rename(fresh, final);
      },
    });
  } finally {
    await rm(old, { recursive: true, force: true });
    for (const forget of forgets) await forget();
  }
}

/** A folder under a name of its own, until it is complete. */
export type FreshFolder<Value> = {
  /** Where it is filled: beside its final place. */
  readonly fresh: string;
  readonly mode?: number;
  readonly fill: () => Promise<Value>;
  /** Gives it its place. */
  readonly settle: () => Promise<void>;
};

/** Fills a folder that has no place yet, and then gives it one; when anything fails nothing of it is left. */
export async function fillFresh<Value>({ fresh, mode, fill, settle }: FreshFolder<Value>): Promise<Value> {
  try {
    await mkdir(fresh, { recursive: true, ...(mode === undefined ? {} : { mode }) });
    const value = await fill();
    await settle();
    return value;
  } finally {
    await rm(fresh, { recursive: true, force: true });
  }
}

async function refuseForeign(final: string): Promise<void> {
  try {
    const found = await lstat(final);
    if (found.isDirectory() && (await isMarked(path.join(final, markerName)))) return;
  } catch (error) {
    if (isMissing(error)) return;
    throw error;
  }
  throw new BevelstoneError('FOLDER_NOT_OURS', {
    message: `${final} is not replaced`,
    why: `Bevelstone did not create it: it has no ${markerName} of a release`,
    fix: 'Move it, or set another folder with `output`',
    where: { file: final },
  });
}

/** Only this program writes such a file. */
async function isMarked(file: string): Promise<boolean> {
  try {
    const { schema } = JSON.parse((await readTextIfThere(file)) ?? '{}') as { schema?: unknown };
    return schema === 'bevelstone/1';
  } catch (error) {
    if (error instanceof SyntaxError) return false;
    throw error;
  }
}
