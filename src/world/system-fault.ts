import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, rmdirSync } from 'node:fs';
import { rm, statfs, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { BevelstoneError, isBevelstoneError } from '../core/error/bevelstone-error.ts';

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
  const { path: file, syscall, message } = error as NodeJS.ErrnoException;
  const code = reasonOf(error as NodeJS.ErrnoException);
  if (code === '' || syscall === undefined) return null;
  const place = file === undefined ? {} : { where: { file } };
  const what = file ?? 'A file';
  const again = fix ?? 'run the same command again';
  if (full.has(code)) {
    return new BevelstoneError('DISK_FULL', {
      message: `cannot write ${what}`,
      why: code === 'EFBIG' ? 'the file would be larger than the system allows' : 'the disk is full',
      fix: `Make room, then ${again}`,
      cause: error,
      ...place,
    });
  }
  if (faults.has(code)) {
    return new BevelstoneError('DISK_FAULT', {
      message: `cannot read or write ${what}`,
      why: `the disk reported an error: ${message}`,
      fix: `Check the disk, then ${again}`,
      cause: error,
      ...place,
    });
  }
  const why = refusals[code];
  if (why === undefined) return null;
  return new BevelstoneError('SYSTEM_REFUSED', {
    message: file === undefined ? `the system call ${syscall} failed` : `${file} cannot be used`,
    why: `${why} (${code}, ${syscall})`,
    fix: 'Fix this, then run the same command again',
    cause: error,
    ...place,
  });
}

/**
 * The code of the real reason. Making a folder with those above it ends with ENOENT whatever went wrong, a full disk too, so
 * the first one that is missing is tried once more.
 */
function reasonOf({ code = '', path: file, syscall }: NodeJS.ErrnoException): string {
  if (code !== 'ENOENT' || syscall !== 'mkdir' || file === undefined) return code;
  let missing = file;
  while (!existsSync(path.dirname(missing)) && path.dirname(missing) !== missing) missing = path.dirname(missing);
  try {
    mkdirSync(missing);
    rmdirSync(missing);
    return code;
  } catch (error) {
    return (error as NodeJS.ErrnoException).code ?? code;
  }
}

/** Less than this is as good as nothing: what a failed program removes again has made room. */
const littleRoom = 1024 * 1024;

/**
 * Tries whether a folder takes a few kilobytes, and asks how much room there is.
 * @param said what could not be written. @returns DISK_FULL or DISK_FAULT; null where neither is the reason.
 */
export async function probeRoom(folder: string, reason: string): Promise<BevelstoneError | null> {
  const file = path.join(folder, `bevelstone-room-${randomBytes(8).toString('hex')}`);
  try {
    await writeFile(file, Buffer.alloc(8192), { flag: 'wx', flush: true });
    const { bavail, bsize } = await statfs(folder);
    if (bavail * bsize >= littleRoom) return null;
    return new BevelstoneError('DISK_FULL', {
      message: 'no space left for a file',
      why: reason,
      fix: `Make room on the disk of ${folder}, then run the same command again`,
    });
  } catch (error) {
    const fault = systemFault(error);
    return isBevelstoneError(fault, 'DISK_FULL', 'DISK_FAULT') ? fault : null;
  } finally {
    await rm(file, { force: true }).catch(() => {});
  }
}

/** What a child process says on standard error of a full or broken disk, as an error of ours; null for anything else. */
export function faultInMessage(program: string, stderr: string): BevelstoneError | null {
  // What the other side says is its own disk's business.
  const own = stderr.split('\n').filter((line) => !/^(?:remote:|error: remote|!)/.test(line));
  const line = own.find((candidate) =>
    /no space left on device|out of diskspace|disk quota exceeded|file too large|input\/output error/i.test(candidate),
  );
  if (line === undefined) return null;
  const isFault = /input\/output error/i.test(line);
  return new BevelstoneError(isFault ? 'DISK_FAULT' : 'DISK_FULL', {
    message: `${program} could not write a file`,
    why: isFault ? `the disk reported an error: ${line.trim()}` : `the disk is full: ${line.trim()}`,
    fix: `${isFault ? 'Check the disk' : 'Make room'}, then run the same command again`,
  });
}
