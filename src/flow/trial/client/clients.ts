import type { TrialClient } from '../../../core/name/client.ts';
import type { Protocol } from '../../../core/name/protocol.ts';
import type { Client } from './client.ts';
import { dotnetClient } from './dotnet.ts';
import { fetchClient } from './fetch.ts';
import { mavenClient } from './maven.ts';
import { npmClient } from './npm.ts';
import { pipClient } from './pip.ts';

/** Every client by its name. */
export const clients: Readonly<Record<TrialClient, Client>> = {
  npm: npmClient,
  pip: pipClient,
  maven: mavenClient,
  dotnet: dotnetClient,
  fetch: fetchClient,
};

/** The client that consumers of a protocol use. */
export const clientOf: Readonly<Record<Protocol, TrialClient>> = {
  'npm-registry': 'npm',
  'python-index': 'pip',
  'maven-layout': 'maven',
  'nuget-v3': 'dotnet',
  'http-put': 'fetch',
  s3: 'fetch',
  oci: 'fetch',
  folder: 'fetch',
};
