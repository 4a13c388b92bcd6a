import { lstat, readFile, realpath } from 'node:fs/promises';
import path from 'node:path';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { isMissing } from './files.ts';

/**
 * The absolute path of something that a configuration or a tree names inside a folder. Every part of it that exists is looked
 * at: a link on the way could lead anywhere, so none is followed.
 * @param top absolute path that is trusted, links on the way to it included.
 * @param what names the path in an error.
 * @throws PATH_OUTSIDE
 */
export async function placeInside(top: string, inside: string, what: string): Promise<string> {
  const place = path.resolve(top, inside);
  const relative = path.relative(top, place);
  if (path.isAbsolute(relative) || relative.split(path.sep)[0] === '..')
    throw outside(place, what, `it leads out of ${top}`);
  let at = top;
  for (const part of relative.split(path.sep).filter(Boolean)) {
    at = path.join(at, part);
    if (await isLink(at)) throw outside(place, what, `${at} is a symbolic link`);
  }
  return place;
}

async function isLink(file: string): Promise<boolean> {
  try {
    return (await lstat(file)).isSymbolicLink();
  } catch (error) {
    if (isMissing(error)) return false;
    throw error;
  }
}

function outside(place: string, what: string, why: string): BevelstoneError {
  return new BevelstoneError('PATH_OUTSIDE', {
    message: `${what} is not used: ${place}`,
    why: `${why}, and paths in the configuration must stay inside the repository`,
    fix: 'Replace the link with a file or folder of the repository, or correct the path',
    where: { file: place },
  });
}

/**
 * Text of a file inside a folder, null when there is none. Links are followed as long as they stay inside: a licence that all
 * packages share is often one.
 * @throws PATH_OUTSIDE
 */
export async function readInside(top: string, inside: string, what: string): Promise<string | null> {
  const place = path.resolve(top, inside);
  try {
    const [realTop, real] = [await realpath(top), await realpath(place)];
    if (real !== realTop && !real.startsWith(realTop + path.sep)) throw outside(place, what, `it leads to ${real}`);
    return await readFile(real, 'utf8');
  } catch (error) {
    if (isMissing(error)) return null;
    throw error;
  }
}
