import { coreOf, isVersion } from '../version/version.ts';

/** A version with fewer than three numbers filled up with zeros, `1.2` as `1.2.0`; null for any other text. */
export function wholeVersion(text: string): string | null {
  const filled = `${text}${'.0'.repeat(Math.max(0, 3 - text.split('.').length))}`;
  return isVersion(filled) && coreOf(filled).major >= 0 ? filled : null;
}
