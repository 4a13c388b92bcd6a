import { secretShapes } from '../facts/secret-shapes.ts';

/**
 * An address as an SBOM may show it: without user, password and query, which hold tokens, and nothing at all when the path
 * itself looks like a secret. @returns null for what is no address of the net.
 */
export function publicLocation(location: string | null): string | null {
  if (location === null || !URL.canParse(location)) return null;
  const url = new URL(location);
  if (!/^(?:https?|git\+\w+|ssh|git):$/.test(url.protocol)) return null;
  [url.username, url.password, url.search] = ['', '', ''];
  // Behind the address of a repository stands its commit.
  if (!/^#[0-9a-f]{7,64}$/.test(url.hash)) url.hash = '';
  return holdsSecret(url.href) ? null : url.href;
}

function holdsSecret(text: string): boolean {
  return secretShapes.some(({ anchor, pattern, isReal }) => {
    const match = text.includes(anchor) ? pattern.exec(text) : null;
    return match !== null && (isReal?.(match, text.slice(0, text.indexOf(anchor))) ?? true);
  });
}
