import { lstat, readFile } from 'node:fs/promises';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { isMissing } from './files.ts';

/** Text of a file that only its owner can read; undefined when there is none. @throws CREDENTIAL_UNSAFE */
export async function readSecretFile(file: string): Promise<string | undefined> {
  try {
    const found = await lstat(file);
    const own = process.getuid?.() ?? found.uid;
    const isLink = found.isSymbolicLink();
    if (isLink || found.uid !== own || (found.mode & 0o077) !== 0)
      throw unsafe({ file, isLink, isOthers: found.uid !== own, mode: found.mode });
    return await readFile(file, 'utf8');
  } catch (error) {
    if (isMissing(error)) return undefined;
    throw error;
  }
}

function unsafe({
  file,
  isLink,
  isOthers,
  mode,
}: {
  readonly file: string;
  readonly isLink: boolean;
  readonly isOthers: boolean;
  readonly mode: number;
}): BevelstoneError {
  const why = isLink
    ? 'it is a symbolic link'
    : isOthers
      ? 'it has another owner'
      : `its mode is ${(mode & 0o777).toString(8).padStart(4, '0')}`;
  return new BevelstoneError('CREDENTIAL_UNSAFE', {
    message: `the credential file ${file} is not protected`,
    why: `${why}; a token file must be readable only by its owner`,
    fix: isLink || isOthers ? 'Use a regular file that you own' : `Run: chmod 600 ${file}`,
    where: { file },
  });
}
