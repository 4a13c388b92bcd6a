import picomatch from 'picomatch';
import { BevelstoneError } from '../error/bevelstone-error.ts';

/** How names are compared. */
export type GlobOptions = { readonly nocase?: boolean; readonly bash?: boolean };

const maxGlobLength = 400;
/** Wildcards in one name, and `**` in one pattern: each one more multiplies the work that a hostile name can cause. */
const maxWildcards = 3;

/**
 * Whether a path matches any of the globs. Names that begin with a dot match like all others.
 * @throws TOO_COMPLEX for a glob that could keep the program busy.
 */
export function globMatcher(globs: readonly string[], options: GlobOptions = {}): (path: string) => boolean {
  for (const glob of globs) refuseComplex(glob);
  return picomatch([...globs], { dot: true, ...options });
}

function refuseComplex(glob: string): void {
  const why = whyComplex(glob);
  if (why === null) return;
  throw new BevelstoneError('TOO_COMPLEX', {
    message: `the glob ${JSON.stringify(glob.slice(0, 80))} is not used`,
    why,
    fix: 'Write several simpler globs instead of one',
  });
}

/** Why a glob is too much work to match; null when it is fine. */
export function whyComplex(glob: string): string | null {
  if (glob.length > maxGlobLength) return `it has ${glob.length} characters, and ${maxGlobLength} are the most`;
  if ((glob.match(/\*\*/g)?.length ?? 0) > maxWildcards) return `it has more than ${maxWildcards} "**"`;
  const parts = glob.split('/').map((part) => part.replace(/\\./g, ''));
  if (parts.some((part) => (part.match(/\*+/g)?.length ?? 0) > maxWildcards))
    return `one name in it has more than ${maxWildcards} "*"`;
  if (/[+*!@?]\([^)]*[+*!@?]\(/.test(glob) || (glob.match(/[+*!]\(/g)?.length ?? 0) > 1)
    return 'it has groups that repeat inside or beside each other';
  return null;
}
