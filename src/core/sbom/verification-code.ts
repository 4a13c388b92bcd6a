import { createHash } from 'node:crypto';

/** The package verification code: SHA-1 over the sorted SHA-1 digests of the files, joined (SPDX 2.3 §7.9.4). */
export function verificationCode(files: readonly { readonly sha1: string }[]): string {
  return createHash('sha1')
    .update(
      files
        .map(({ sha1 }) => sha1)
        .sort()
        .join(''),
    )
    .digest('hex');
}
