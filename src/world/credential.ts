import { lstat, readFile } from 'node:fs/promises';
import { homedir } from 'node:os';
import path from 'node:path';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { isMissing } from './files.ts';

/**
 * Follows a credential reference to the secret: `none`, `env:NAME` or `file:PATH`.
 * @param folder what a relative path is relative to.
 * @returns null for `none`.
 * @throws CREDENTIAL_MISSING, CREDENTIAL_UNSAFE when others could read the file.
 */
export async function readCredential(
  reference: string,
  env: Readonly<Record<string, string | undefined>>,
  folder: string,
): Promise<string | null> {
  if (reference === 'none') return null;
  const value = reference.startsWith('env:')
    ? env[reference.slice(4)]
    : await readSecretFile(reference.slice(5), folder);
  const secret = value?.trim() ?? '';
  if (secret !== '') return secret;
  const name = reference.slice(reference.indexOf(':') + 1);
  throw new BevelstoneError('CREDENTIAL_MISSING', {
    message: `The credential ${reference} is empty or missing`,
    why: reference.startsWith('env:') ? `the environment variable ${name} is not set` : `there is no text in ${name}`,
    fix: reference.startsWith('env:')
      ? `Set ${name} for this command; CI keeps such values as secrets`
      : `Write the token into ${name} and give it mode 0600`,
  });
}

async function readSecretFile(name: string, folder: string): Promise<string | undefined> {
  const file = name.startsWith('~/') ? path.join(homedir(), name.slice(2)) : path.resolve(folder, name);
  try {
    const { mode, uid, isLink } = await lstat(file).then((found) => ({
      mode: found.mode,
      uid: found.uid,
      isLink: found.isSymbolicLink(),
    }));
    const own = process.getuid?.() ?? uid;
    if (isLink || uid !== own || (mode & 0o077) !== 0) throw unsafe(file, isLink, uid !== own, mode);
    return await readFile(file, 'utf8');
  } catch (error) {
    if (isMissing(error)) return undefined;
    throw error;
  }
}

function unsafe(file: string, isLink: boolean, isOthers: boolean, mode: number): BevelstoneError {
  const why = isLink
    ? 'it is a symbolic link'
    : isOthers
      ? 'it belongs to somebody else'
      : `its mode is ${(mode & 0o777).toString(8).padStart(4, '0')}`;
  return new BevelstoneError('CREDENTIAL_UNSAFE', {
    message: `The credential file ${file} is not safe`,
    why: `${why}; a token must be readable by its owner alone`,
    fix: isLink || isOthers ? 'Use a plain file of your own' : `Run: chmod 600 ${file}`,
    where: { file },
  });
}
