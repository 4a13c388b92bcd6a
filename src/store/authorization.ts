import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import type { Protocol } from '../core/name/protocol.ts';
import { protocolDefinitions } from '../core/protocol/definitions.ts';
import type { Credential } from '../world/credential.ts';

/** A bare secret as the kind that the protocol usually has: USER:PASSWORD, ACCESS:SECRET, a token, a key in a header. */
export function usualCredential(speaks: Protocol, credential: Credential): Credential {
  if (credential.type !== 'bare') return credential;
  const { secret } = credential;
  const { bareSecret, usesAccessKeys } = protocolDefinitions[speaks];
  const { isUserWithPassword, otherwise } = bareSecret;
  const split = secret.indexOf(':');
  // Some stores have colons in their access keys, others in their secret keys: with two it cannot be told where to cut.
  if (usesAccessKeys && split > 0 && split === secret.lastIndexOf(':'))
    return { type: 'keys', accessKey: secret.slice(0, split), secretKey: secret.slice(split + 1), session: null };
  const colon = isUserWithPassword ? split : -1;
  if (colon > 0) return { type: 'basic', user: secret.slice(0, colon), password: secret.slice(colon + 1) };
  if (otherwise.type === 'basic') return { ...otherwise, password: secret };
  return otherwise.type === 'header' ? { ...otherwise, value: secret } : { ...otherwise, secret };
}

/** The headers that carry a credential (RFC 6750 §2.1, RFC 7617 §2). @throws CREDENTIAL_KIND for keys of an object store. */
export function authorizationHeaders(speaks: Protocol, credential: Credential): Record<string, string> {
  const item = usualCredential(speaks, credential);
  if (item.type === 'none') return {};
  if (item.type === 'token') return { authorization: `Bearer ${item.secret}` };
  if (item.type === 'basic') return { authorization: basic(item.user, item.password) };
  if (item.type === 'header') return { [item.name.toLowerCase()]: item.value };
  throw new BevelstoneError('CREDENTIAL_KIND', {
    message: `invalid credential for ${speaks}`,
    why: 'access keys and chain are only for s3',
    fix: 'Write env:NAME, file:PATH, kept:NAME, or a mapping with token, user and password, or header and value',
    where: { file: 'bevelstone.yaml' },
  });
}

/** The value of an Authorization header for a user with a password. */
export function basic(user: string, password: string): string {
  return `Basic ${Buffer.from(`${user}:${password}`).toString('base64')}`;
}
