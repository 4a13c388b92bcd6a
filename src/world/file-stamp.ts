import type { BigIntStats } from 'node:fs';
import { stat } from 'node:fs/promises';

/** Detects a changed file without reading it: every write updates the change time, which cannot be set. */
export type FileStamp = { readonly inode: bigint; readonly sizeBytes: bigint; readonly changedNs: bigint };

/** The stamp of a file. */
export async function readStamp(file: string): Promise<FileStamp> {
  return stampOf(await stat(file, { bigint: true }));
}

/** The stamp in what the system says of a file. */
export function stampOf({ ino, size, ctimeNs }: BigIntStats): FileStamp {
  return { inode: ino, sizeBytes: size, changedNs: ctimeNs };
}

/** Whether it is the same file, untouched. */
export function isSameStamp(fileStamp: FileStamp, other: FileStamp): boolean {
  return (
    fileStamp.inode === other.inode &&
    fileStamp.sizeBytes === other.sizeBytes &&
    fileStamp.changedNs === other.changedNs
  );
}
