import type { DestinationConfig } from '../core/config/config.ts';
import { carrierOf } from '../core/name/protocol.ts';
import type { Credential } from '../world/credential.ts';
import { authorizationHeaders } from './authorization.ts';
import type { Web } from './web.ts';

/** All that a destination is opened with: its configuration, addresses and credential looked up. */
export type Connection = {
  readonly name: string;
  readonly config: DestinationConfig;
  readonly url: string;
  /** Where readers look; null when the configuration does not say. */
  readonly indexUrl: string | null;
  readonly credential: Credential;
  /** The only origins that get the credential. */
  readonly origins: ReadonlySet<string>;
  readonly signal: AbortSignal;
  /** Of whoever runs this program: for git, which looks up its own credentials. */
  readonly env: Readonly<Record<string, string | undefined>>;
  /** What no message may hold; a protocol adds what it is given. */
  readonly secrets: Set<string>;
  readonly now: () => Date;
  /** A one-time password, asked for when the server wants one; null when there is no terminal to ask in. */
  readonly oneTime: () => Promise<string | null>;
};

/** A connection that sends the credential in a header of every request. @throws CREDENTIAL_KIND */
export function webOf({ name, config, credential, origins, signal, secrets }: Connection): Web {
  const headers = authorizationHeaders(carrierOf(config), credential);
  for (const value of Object.values(headers)) secrets.add(value.replace(/^\w+ /, ''));
  return { name, headers, signal, origins, secrets };
}
