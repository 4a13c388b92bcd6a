import { createHash } from 'node:crypto';
import { readdir, stat, utimes } from 'node:fs/promises';
import path from 'node:path';
import { fileDigest } from './archive/file-digest.ts';
import {
  copyOneFile,
  exists,
  isMissing,
  makeFolder,
  moveFolder,
  readTextIfThere,
  removeFolder,
  writeWhole,
} from './files.ts';
import { ownSuffix } from './leftovers.ts';

/** Which artifact of which release: everything that its bytes follow from. */
export type ArtifactKey = {
  readonly commit: string;
  readonly package: string;
  readonly version: string;
  readonly form: string;
  readonly platform: string | null;
  readonly sha256: string | null;
};

/** How many artifacts are kept; the ones that were not used for longest go first. */
const maxKept = 24;

/** An artifact that was kept, still as it was; null when there is none. */
export async function keptArtifact(commonFolder: string, key: ArtifactKey): Promise<string | null> {
  const folder = folderOf(commonFolder, key);
  const [name, digest] = (await readTextIfThere(path.join(folder, 'kept')))?.split('\n') ?? [];
  if (name === undefined || digest === undefined || name !== path.basename(name)) return null;
  const file = path.join(folder, name);
  try {
    const { size } = await stat(file);
    if ((await fileDigest(file, size)) !== digest) return null;
    const now = new Date();
    await utimes(folder, now, now);
    return file;
  } catch (error) {
    if (isMissing(error)) return null;
    throw error;
  }
}

/** Keeps a copy of an artifact below the git folder. @returns its place there. */
export async function keepArtifact(commonFolder: string, key: ArtifactKey, file: string): Promise<string> {
  const folder = folderOf(commonFolder, key);
  const own = `${folder}.${ownSuffix()}.tmp`;
  const name = path.basename(file);
  await makeFolder(own);
  await copyOneFile(file, path.join(own, name));
  const { size } = await stat(file);
  await writeWhole(path.join(own, 'kept'), `${name}\n${await fileDigest(file, size)}\n`);
  await removeFolder(folder);
  try {
    await moveFolder(own, folder);
  } catch (error) {
    await removeFolder(own);
    // Another process kept the same one meanwhile.
    if (!(await exists(folder))) throw error;
  }
  await forgetOldest(path.dirname(folder));
  return path.join(folder, name);
}

function folderOf(commonFolder: string, key: ArtifactKey): string {
  const { commit, package: name, version, form, platform, sha256 } = key;
  const text = JSON.stringify([commit, name, version, form, platform, sha256]);
  return path.join(commonFolder, 'bevelstone', 'earlier', createHash('sha256').update(text).digest('hex').slice(0, 32));
}

async function forgetOldest(top: string): Promise<void> {
  const names = await readdir(top);
  const found = await Promise.all(
    names.map(async (name) => ({ name, time: (await stat(path.join(top, name)).catch(() => null))?.mtimeMs ?? 0 })),
  );
  const old = found.sort((a, b) => b.time - a.time).slice(maxKept);
  for (const { name } of old) await removeFolder(path.join(top, name));
}
