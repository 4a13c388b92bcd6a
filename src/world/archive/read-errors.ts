import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { Ambiguity } from '../../core/form/ambiguity.ts';
import type { LimitsConfig } from '../../core/text/limits.ts';
import { unreadableFile } from '../files.ts';

/** The error for an archive that is cut off, malformed or contradicts itself. */
export function damaged(file: string, why: string, cause?: unknown): BevelstoneError {
  return new BevelstoneError('ARCHIVE_DAMAGED', {
    message: `${file} is truncated or damaged`,
    why,
    fix: 'Build or download it again',
    where: { file },
    ...(cause === undefined ? {} : { cause }),
  });
}

/** The error for an archive that readers understand in different ways. */
export function ambiguous(file: string, why: string): BevelstoneError {
  return new BevelstoneError('ARCHIVE_AMBIGUOUS', {
    message: `${file} can be read in two ways`,
    why: `${why}; what is checked here might not be what others install`,
    fix: 'Build it again with a tool that writes plain archives; do not install it if others made it',
    where: { file },
  });
}

/** The error for an archive beyond the limits. */
export function tooLarge(file: string, why: string, key: keyof LimitsConfig): BevelstoneError {
  return new BevelstoneError('ARCHIVE_TOO_LARGE', {
    message: `${file} exceeds the limits for archives`,
    why,
    fix: `Do not unpack it; check where it comes from. If you trust it, raise \`limits.${key}\` in bevelstone.yaml`,
    where: { file },
  });
}

/** The error for an entry that needs a password. */
export function encrypted(file: string, entry: string): BevelstoneError {
  return new BevelstoneError('ARCHIVE_ENCRYPTED', {
    message: `${file} has an encrypted entry`,
    why: `${entry} is encrypted, so its contents cannot be checked`,
    fix: 'Get the archive without a password',
    where: { file },
  });
}

/** The error for a file that is not an archive. */
export function unknownForm(file: string): BevelstoneError {
  return new BevelstoneError('ARCHIVE_UNKNOWN', {
    message: `${file} has no known artifact format`,
    why: 'expected a tar, gzip or zip archive, a Debian package or a POM',
    fix: 'Give a built artifact',
    where: { file },
  });
}

/** What the system or a library says, as one of our errors; anything else stays as it is. */
export function translateReadError(error: unknown, file: string): unknown {
  if (error instanceof BevelstoneError) return error;
  // Whoever interrupts the work did not damage the archive.
  if (error instanceof Error && error.name === 'AbortError') return error;
  if (error instanceof Ambiguity) return ambiguous(file, error.message);
  const { code, message } = error as NodeJS.ErrnoException;
  // A slip of our own is not the archive's.
  if ((error instanceof TypeError || error instanceof ReferenceError) && code === undefined) return error;
  const unreadable = unreadableFile(error, file);
  if (unreadable !== null) return unreadable;
  return damaged(file, message ?? 'it cannot be read', error);
}
