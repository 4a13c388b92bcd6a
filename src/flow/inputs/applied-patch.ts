import { createHash } from 'node:crypto';
import { patchSubject, splitPatch } from '../../core/input/patch-text.ts';

/** A patch of an input. */
export type AppliedPatch = {
  /** Path inside the package's folder. */
  readonly file: string;
  readonly subject: string | null;
  readonly sha1: string;
  readonly sha256: string;
  readonly bytes: Uint8Array;
};

/** What is to be said of a patch. @param file path inside the package's folder. */
export function describePatch(file: string, bytes: Uint8Array): AppliedPatch {
  const digest = (algorithm: string) => createHash(algorithm).update(bytes).digest('hex');
  const { header } = splitPatch(Buffer.from(bytes).toString('utf8'));
  return { file, subject: patchSubject(header), sha1: digest('sha1'), sha256: digest('sha256'), bytes };
}
