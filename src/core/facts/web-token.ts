import { objectOf } from '../manifest/fields.ts';
import { jsonOrNull } from '../text/json.ts';

/** What a JSON web token says of itself (RFC 7519 §4.1.4, §5). */
export type WebToken = {
  /** Day on which it expires, as `2027-01-31`; null for never. */
  readonly expires: string | null;
};

/**
 * Reads the first two parts of a JSON web token.
 * @returns null for anything else: parts that are no JSON, no algorithm, no signature (`none`), and the examples of documentation.
 */
export function readWebToken(head: string, body: string): WebToken | null {
  const [header, claims] = [readPart(head), readPart(body)];
  if (header === null || claims === null) return null;
  const { alg } = header;
  if (typeof alg !== 'string' || alg === 'none') return null;
  // Of the example that most documentation copies.
  if (claims['sub'] === '1234567890' || claims['name'] === 'John Doe') return null;
  const seconds = claims['exp'];
  const isTime = typeof seconds === 'number' && seconds > 0 && seconds < 8.64e12;
  return { expires: isTime ? new Date(seconds * 1000).toISOString().slice(0, 10) : null };
}

function readPart(text: string): Readonly<Record<string, unknown>> | null {
  const value = jsonOrNull(Buffer.from(text, 'base64url').toString('utf8'));
  return typeof value === 'object' && value !== null && !Array.isArray(value) ? objectOf(value) : null;
}
