import { BevelstoneError } from '../core/error/bevelstone-error.ts';

const full: ReadonlySet<string> = new Set(['ENOSPC', 'EDQUOT', 'EFBIG']);
const faults: ReadonlySet<string> = new Set(['EIO', 'ENXIO', 'ENODEV', 'ESTALE', 'EREMOTEIO']);
const refusals: Readonly<Record<string, string>> = {
  EACCES: 'permission is denied',
  EPERM: 'the system does not permit it',
  EROFS: 'the file system is read-only',
  ENOENT: 'there is no such file or folder',
  ENOTDIR: 'a part of the path is not a folder',
  EISDIR: 'it is a folder',
  EEXIST: 'something of that name is there already',
  ENOTEMPTY: 'the folder is not empty',
  ENAMETOOLONG: 'the name is too long for this file system',
  ELOOP: 'too many links lead to each other',
  EXDEV: 'the two paths are on different file systems',
  EBUSY: 'something else uses it',
  ETXTBSY: 'something else uses it',
  EMFILE: 'this process has too many files open',
  ENFILE: 'this machine has too many files open',
  ENOMEM: 'there is not enough memory',
  EAGAIN: 'the system is out of processes or memory for them',
  ENOLCK: 'no file locks are left',
  EINVAL: 'the file system does not support it',
  ENOTSUP: 'the file system does not support it',
};

/**
 * An error of the operating system as one of ours: DISK_FULL and DISK_FAULT, after which the same command can be run again,
 * SYSTEM_REFUSED for the rest.
 * @param fix what to do about a full or broken disk, where more is known than to run the command again.
 * @returns null for anything that is not an error of the system.
 */
export function systemFault(error: unknown, fix?: string): BevelstoneError | null {
  if (!(error instanceof Error) || error instanceof BevelstoneError) return null;
  const { code = '', path: file, syscall, message } = error as NodeJS.ErrnoException;
  if (code === '' || syscall === undefined) return null;
  const place = file === undefined ? {} : { where: { file } };
  const what = file === undefined ? `The system call ${syscall}` : file;
  const again = fix ?? 'run the same command again';
  if (full.has(code)) {
    return new BevelstoneError('DISK_FULL', {
      message: `${what} could not be written`,
      why: code === 'EFBIG' ? 'the file would be larger than the system allows' : 'the disk is full',
      fix: `Make room, then ${again}`,
      cause: error,
      ...place,
    });
  }
  if (faults.has(code)) {
    return new BevelstoneError('DISK_FAULT', {
      message: `${what} could not be read or written`,
      why: `the disk reported an error: ${message}`,
      fix: `Check the disk, then ${again}`,
      cause: error,
      ...place,
    });
  }
  const why = refusals[code];
  if (why === undefined) return null;
  return new BevelstoneError('SYSTEM_REFUSED', {
    message: file === undefined ? `${what} failed` : `${file} cannot be used`,
    why: `${why} (${code}, ${syscall})`,
    fix: 'Correct that, then run the same command again',
    cause: error,
    ...place,
  });
}

/** What a child process says on standard error of a full or broken disk, as an error of ours; null for anything else. */
export function saidFault(program: string, stderr: string): BevelstoneError | null {
  // What the other side says is its own disk's business.
  const own = stderr.split('\n').filter((line) => !/^(?:remote:|error: remote|!)/.test(line));
  const line = own.find((one) =>
    /no space left on device|disk quota exceeded|file too large|input\/output error/i.test(one),
  );
  if (line === undefined) return null;
  const isFault = /input\/output error/i.test(line);
  return new BevelstoneError(isFault ? 'DISK_FAULT' : 'DISK_FULL', {
    message: `${program} could not write`,
    why: isFault ? `the disk reported an error: ${line.trim()}` : `the disk is full: ${line.trim()}`,
    fix: `${isFault ? 'Check the disk' : 'Make room'}, then run the same command again`,
  });
}
