import { secretShapes } from '../facts/secret-shapes.ts';

/** Host and path alone, each part too short for a token. */
const plain = /^https:\/\/[a-z0-9.-]{1,100}(?:\/[@A-Za-z0-9._+~-]{1,19}){1,12}$/;

/**
 * An address as an SBOM may show it: without user, password and query, which hold tokens, and nothing at all when the path
 * itself looks like a secret. @returns null for what is no address of the net.
 */
export function publicLocation(location: string | null): string | null {
  if (location === null || !/^(?:https?|git\+\w+|ssh|git):/i.test(location)) return null;
  // The usual address of an archive has nothing to take away; there may be thousands of them.
  if (plain.test(location)) return location;
  if (!URL.canParse(location)) return null;
  const url = new URL(location);
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
