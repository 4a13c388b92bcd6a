import { BevelstoneError } from '../../error/bevelstone-error.ts';

/** The error for a lockfile of a version that is not known here. */
export function newerLockfile(file: string, version: string, known: string): BevelstoneError {
  return new BevelstoneError('LOCKFILE_UNKNOWN', {
    message: `${file} has version ${version} of its format`,
    why: `versions up to ${known} are known, and an entry that is missed would make the lockfile wrong on the released tag`,
    fix: 'Update Bevelstone, or let a command write it: write-back: { make: [{ run: …, files: […] }] }',
    where: { file },
  });
}

/** The error for an entry that holds the released package itself by a digest. */
export function pinnedEntry(file: string, name: string, range: string): BevelstoneError {
  return new BevelstoneError('LOCKFILE_PINS', {
    message: `${file} pins ${name} by a digest, and its range would become ${range}`,
    why: 'that version is not published yet, so it has no digest to write',
    fix: `Refer to ${name} by the workspace in that folder, or release ${name} first and update the lockfile afterwards`,
    where: { file },
  });
}

/** The error for a lockfile that only its own tool can bring up to date. */
export function needsTool(file: string, why: string, command: string): BevelstoneError {
  return new BevelstoneError('LOCKFILE_UNKNOWN', {
    message: `${file} cannot be brought up to date`,
    why,
    fix: `Let its tool write it: write-back: { make: [{ run: "${command}", files: ["${file}"] }] }`,
    where: { file },
  });
}
