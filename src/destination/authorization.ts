import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import type { Protocol } from '../core/name/protocol.ts';
import type { Credential } from '../world/credential.ts';

/** What a bare secret is for each protocol; `token` where it is sent as a bearer token. */
const usual: Partial<Record<Protocol, (secret: string) => Credential>> = {
  // "Use __token__ as the user and the token as the password", as indexes with tokens have it.
  'python-index': (secret) => basicOr(secret, { type: 'basic', user: '__token__', password: secret }),
  'nuget-v3': (secret) => ({ type: 'header', name: 'X-NuGet-ApiKey', value: secret }),
  oci: (secret) => basicOr(secret, { type: 'token', secret }),
  'maven-layout': (secret) => basicOr(secret, { type: 'token', secret }),
  'http-put': (secret) => basicOr(secret, { type: 'token', secret }),
};

/** A bare secret as the kind that the protocol usually has: USER:PASSWORD, a token, a key in a header. */
export function usualCredential(speaks: Protocol, credential: Credential): Credential {
  if (credential.type !== 'bare') return credential;
  return usual[speaks]?.(credential.secret) ?? { type: 'token', secret: credential.secret };
}

/** The headers that carry a credential (RFC 6750 §2.1, RFC 7617 §2). @throws CREDENTIAL_KIND for keys of an object store. */
export function authorizationHeaders(speaks: Protocol, credential: Credential): Record<string, string> {
  const one = usualCredential(speaks, credential);
  if (one.type === 'none') return {};
  if (one.type === 'token') return { authorization: `Bearer ${one.secret}` };
  if (one.type === 'basic') return { authorization: basic(one.user, one.password) };
  if (one.type === 'header') return { [one.name.toLowerCase()]: one.value };
  throw new BevelstoneError('CREDENTIAL_KIND', {
    message: `${speaks} has no use for a credential of this shape`,
    why: 'access keys and the usual chain are for s3',
    fix: 'Write env:NAME, file:PATH, kept:NAME, or a mapping with token, user and password, or header and value',
    where: { file: 'bevelstone.yaml' },
  });
}

/** The value of an Authorization header for a user with a password. */
export function basic(user: string, password: string): string {
  return `Basic ${Buffer.from(`${user}:${password}`).toString('base64')}`;
}

function basicOr(secret: string, other: Credential): Credential {
  const colon = secret.indexOf(':');
  return colon < 1 ? other : { type: 'basic', user: secret.slice(0, colon), password: secret.slice(colon + 1) };
}
