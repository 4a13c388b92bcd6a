import { isWindowsName } from '../../manifest/module-path.ts';

// What may be in the zip of a module (Go Modules Reference, "Module zip files": "File path and size constraints").

/** Limits in bytes: all files together and the zip; `go.mod` and `LICENSE` each. */
export const moduleLimits = { total: 500 << 20, single: 16 << 20 };

/** Whether a file lies in a package below a `vendor` folder: those are never part of a module. */
export function isVendored(path: string): boolean {
  if (path.startsWith('vendor/')) return path.slice('vendor/'.length).includes('/');
  const at = path.indexOf('/vendor/');
  // The client looks for the next slash from this place of the whole path on, and so its digests have it.
  return at >= 0 && path.slice('/vendor/'.length).includes('/');
}

/** Why a path cannot be in the zip of a module, in words; null when it can. */
export function whyWrongFilePath(path: string): string | null {
  for (const part of path.split('/')) {
    if (part === '' || part === '.' || part === '..') return 'it has an empty part, or one of dots alone';
    if (part.endsWith('.')) return `"${part}" ends with a dot`;
    if (/["'*<>?`|/\\:\p{Cc}]/u.test(part)) return `"${part}" has a character that some system does not take`;
    // Letters of any script are allowed, and of punctuation these.
    if (!/^[\p{L}\p{Nd}\p{M}!#$%&()+,\-.=@[\]^_{}~ ]+$/u.test(part))
      return `"${part}" has a character that is not allowed`;
    if (isWindowsName(part)) return `"${part}" is a name that Windows keeps for itself`;
  }
  return null;
}

/** Two paths that are one where capital letters do not count; null when there are none. */
export function foldedTwins(paths: readonly string[]): readonly [string, string] | null {
  const seen = new Map<string, string>();
  for (const path of paths) {
    const folded = path.toLowerCase();
    const other = seen.get(folded);
    if (other !== undefined && other !== path) return [other, path];
    seen.set(folded, path);
  }
  return null;
}
