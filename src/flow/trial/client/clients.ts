import type { TrialClient } from '../../../core/name/client.ts';
import type { Protocol } from '../../../core/name/protocol.ts';
import { protocolDefinitions } from '../../../core/protocol/definitions.ts';
import { cargoClient } from './cargo.ts';
import type { Client } from './client.ts';
import { dotnetClient } from './dotnet.ts';
import { fetchClient } from './fetch.ts';
import { gitClient } from './git.ts';
import { goClient } from './go.ts';
import { mavenClient } from './maven.ts';
import { npmClient } from './npm.ts';
import { pipClient } from './pip.ts';

/** Every client by its name. */
const clients: Readonly<Record<TrialClient, Client>> = {
  npm: npmClient,
  pip: pipClient,
  maven: mavenClient,
  dotnet: dotnetClient,
  cargo: cargoClient,
  go: goClient,
  git: gitClient,
  fetch: fetchClient,
};

/** The client that consumers of a protocol use. */
export function clientFor(speaks: Protocol): Client {
  return clients[protocolDefinitions[speaks].client];
}
