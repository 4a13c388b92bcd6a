import { createHash } from 'node:crypto';
import { compareBytes } from '../../contents/entry.ts';

/** A file with the SHA-256 of its bytes, in hexadecimal. */
export type HashedFile = { readonly path: string; readonly sha256: string };

/**
 * The hash of a module in `go.sum` (Go Modules Reference, "Authenticating modules": `h1:`): SHA-256 over a list as sha256sum(1)
 * writes it, sorted by path, in base64.
 */
export function moduleHash(files: readonly HashedFile[]): string {
  const lines = [...files]
    .sort((a, b) => compareBytes(a.path, b.path))
    .map(({ path, sha256 }) => `${sha256}  ${path}\n`);
  return `h1:${createHash('sha256').update(lines.join('')).digest('base64')}`;
}
