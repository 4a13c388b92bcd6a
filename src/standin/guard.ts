import { createHash, timingSafeEqual } from 'node:crypto';
import type { FastifyRequest } from 'fastify';
import { Refusal } from './refusal.ts';

/** A token that a stand-in takes. */
export type StandinToken = {
  readonly secret: string;
  readonly may: 'read' | 'write';
  /** Whose it is. */
  readonly user: string;
  /** The one package that it is for; null for all. */
  readonly only: string | null;
};

/** Who is let in. */
export type Guard = {
  /** Refuses unless reading is open or the request carries a token. */
  readonly read: (request: FastifyRequest) => void;
  /** Refuses unless the request carries a token that may write this package, by any of its names. */
  readonly write: (request: FastifyRequest, ...names: readonly string[]) => void;
  /** The token that a request carries, null for none or a wrong one. */
  readonly tokenOf: (request: FastifyRequest) => StandinToken | null;
  readonly tokens: readonly StandinToken[];
  readonly isPrivate: boolean;
};

/** @param isPrivate whether reading needs a token too. */
export function makeGuard(tokens: readonly StandinToken[], isPrivate: boolean): Guard {
  const tokenOf = (request: FastifyRequest) => {
    const secret = secretOf(request);
    return secret === null ? null : (tokens.find((token) => isEqual(token.secret, secret)) ?? null);
  };
  const challenge = { 'www-authenticate': 'Basic realm="stand-in"' };
  const read = (request: FastifyRequest) => {
    if (isPrivate && tokenOf(request) === null) throw new Refusal(401, 'reading needs a token here', challenge);
  };
  const write = (request: FastifyRequest, ...names: readonly string[]) => {
    if (secretOf(request) === null) throw new Refusal(401, 'you must be logged in to publish packages', challenge);
    const token = tokenOf(request);
    if (token === null) throw new Refusal(403, 'this token may not publish packages');
    if (token.may === 'read') throw new Refusal(403, 'this token may only read');
    if (token.only !== null && !names.includes(token.only))
      throw new Refusal(403, `this token is for ${token.only} alone`);
  };
  return { read, write, tokenOf, tokens, isPrivate };
}

/** The secret of a request: a bearer token, a password (of any user), a key in a header, or the header itself. */
export function secretOf({ headers }: FastifyRequest): string | null {
  const key = headers['x-nuget-apikey'];
  if (typeof key === 'string') return key;
  // Registries of crates want the token alone.
  if (/^[^\s]+$/.test(headers.authorization ?? '')) return headers.authorization ?? null;
  const [, scheme = '', value = ''] = /^(\w+) +(.+)$/.exec(headers.authorization ?? '') ?? [];
  if (scheme.toLowerCase() === 'bearer') return value;
  if (scheme.toLowerCase() !== 'basic') return null;
  const pair = Buffer.from(value, 'base64').toString();
  return pair.slice(pair.indexOf(':') + 1);
}

/** Compares in the same time whatever differs. */
function isEqual(name: string, other: string): boolean {
  const digest = (text: string) => createHash('sha256').update(text).digest();
  return timingSafeEqual(digest(name), digest(other));
}
