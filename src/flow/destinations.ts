import path from 'node:path';
import type { DestinationConfig } from '../core/config/config.ts';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { isSnapshot } from '../core/protocol/maven-layout.ts';
import type { Spellings } from '../core/version/spelling.ts';
import { authorizationHeaders, usualCredential } from '../destination/authorization.ts';
import type { Destination } from '../destination/destination.ts';
import type { Web } from '../destination/web.ts';
import { type Credential, readCredential, readSecret } from '../world/credential.ts';
import { type Context, warn } from './context.ts';

/** Forms that a protocol takes when the configuration does not say. Null: any. */
const usualForms: Readonly<Record<DestinationConfig['speaks'], readonly string[] | null>> = {
  'npm-registry': ['npm-tarball'],
  'python-index': ['wheel', 'sdist'],
  'nuget-v3': ['nupkg', 'snupkg'],
  'maven-layout': ['jar', 'sources-jar', 'documentation-jar', 'pom'],
  'http-put': null,
  s3: null,
  oci: null,
  folder: null,
};

/** Whether a destination takes artifacts of this form. */
export function takesForm({ speaks, takes }: DestinationConfig, form: string): boolean {
  const forms = takes ?? usualForms[speaks];
  return forms === null || forms.includes(form);
}

/** Why a destination does not take releases of this stream and version; null when it does. By default all but those for looking. */
export function refusesRelease(
  { streams, speaks, snapshots }: DestinationConfig,
  release: { readonly stream: { readonly name: string; readonly type: string }; readonly spellings: Spellings },
): string | null {
  const { stream, spellings } = release;
  const isTaken = streams === null ? stream.type !== 'look' : streams.includes(stream.name);
  if (!isTaken) return `it does not take the stream ${stream.name}`;
  if (speaks !== 'maven-layout' || isSnapshot(spellings.maven ?? '') === snapshots) return null;
  return snapshots ? 'it takes snapshots alone' : 'it takes releases, and this is a snapshot';
}

/**
 * Opens a destination: its address and credential are looked up now.
 * @throws ENVIRONMENT_MISSING, CREDENTIAL_MISSING, CREDENTIAL_UNSAFE, CREDENTIAL_KIND
 */
export async function openDestination(
  context: Context,
  name: string,
  config: DestinationConfig,
  root: string,
): Promise<Destination> {
  const url = resolveUrl(context, name, config.url);
  const indexUrl = config['index-url'] === null ? null : resolveUrl(context, name, config['index-url']);
  if (config.speaks === 'folder') {
    const { folderDestination } = await import('../destination/folder.ts');
    return folderDestination({ name, folder: path.resolve(root, url), under: config.under, indexUrl });
  }
  if (!/^https?:\/\//.test(url)) throw noAddress(name, url);
  const place = { env: context.env, folder: root };
  const credential = usualCredential(config.speaks, await readCredential(config.credential, place, context.secrets));
  if (credential.type !== 'none' && isOpenRoad(url))
    warn(context, `the credential for ${name} travels unencrypted to ${new URL(url).host}`);
  return connect(context, { name, config, url, indexUrl, credential, root });
}

type Connection = {
  readonly name: string;
  readonly config: DestinationConfig;
  readonly url: string;
  readonly indexUrl: string | null;
  readonly credential: Credential;
  readonly root: string;
};

/** Loads the protocol's own code only now: some of it is large. */
async function connect(context: Context, connection: Connection): Promise<Destination> {
  const { name, config, url, indexUrl, credential } = connection;
  const { signal, secrets, now } = context;
  if (config.speaks === 's3') {
    const { bucket, region, 'path-style': pathStyle, 'make-bucket': makeBucket, under } = config;
    const { s3 } = await import('../destination/s3.ts');
    return s3({ name, url, bucket: bucket ?? '', region, pathStyle, makeBucket, under, credential, signal });
  }
  if (config.speaks === 'oci') {
    const { oci } = await import('../destination/oci.ts');
    return oci({ web: { name, headers: {}, signal }, url, credential, secrets });
  }
  const web: Web = { name, headers: authorizationHeaders(config.speaks, credential), signal };
  for (const value of Object.values(web.headers)) secrets.add(value.replace(/^\w+ /, ''));
  if (config.speaks === 'npm-registry') {
    const { npmRegistry } = await import('../destination/npm-registry.ts');
    return npmRegistry({ web, url, access: config.access, oneTime: () => oneTimePassword(context, connection) });
  }
  if (config.speaks === 'python-index') {
    const { pythonIndex } = await import('../destination/python-index.ts');
    return pythonIndex({ web, url, indexUrl });
  }
  if (config.speaks === 'nuget-v3') {
    const { nugetV3 } = await import('../destination/nuget-v3.ts');
    return nugetV3({ web, url });
  }
  if (config.speaks === 'maven-layout') {
    const { mavenLayout } = await import('../destination/maven-layout.ts');
    return mavenLayout({ web, url, snapshots: config.snapshots, now });
  }
  const { httpPut } = await import('../destination/http-put.ts');
  return httpPut({ web, url, under: config.under });
}

/** From where the configuration says, else from the person. */
async function oneTimePassword(context: Context, { name, config, root }: Connection): Promise<string | null> {
  const reference = config['one-time'];
  const password =
    reference === null
      ? await context.askSecret(`One-time password for ${name}`)
      : await readSecret(reference, { env: context.env, folder: root });
  if (password !== null) context.secrets.add(password);
  return password;
}

/** Whether others on the way could read what is sent: http to anywhere but this machine. */
function isOpenRoad(url: string): boolean {
  const { protocol, hostname } = new URL(url);
  return protocol === 'http:' && hostname !== 'localhost' && hostname !== '[::1]' && !hostname.startsWith('127.');
}

/** An address as it stands, or from the environment variable that it names, with a path behind. @throws ENVIRONMENT_MISSING */
export function resolveUrl({ env }: Pick<Context, 'env'>, name: string, url: string): string {
  if (!url.startsWith('env:')) return url;
  const [, variable = '', rest = ''] = /^env:([^/]*)(.*)$/s.exec(url) ?? [];
  const value = env[variable]?.trim() ?? '';
  if (value !== '') return rest === '' ? value : `${value.replace(/\/+$/, '')}${rest}`;
  throw new BevelstoneError('ENVIRONMENT_MISSING', {
    message: `The address of ${name} is not set`,
    why: `bevelstone.yaml takes it from the environment variable ${variable}`,
    fix: `Set ${variable} for this command`,
  });
}

function noAddress(name: string, url: string): BevelstoneError {
  return new BevelstoneError('CONFIG_INVALID', {
    message: `The address of ${name}, ${url}, is none that a registry can have`,
    why: 'it begins neither with https:// nor with http://',
    fix: 'Write the whole address',
    where: { file: 'bevelstone.yaml' },
  });
}

/** Where readers find what a destination has. @throws ENVIRONMENT_MISSING */
export function readerUrl(context: Context, name: string, config: DestinationConfig): string {
  const index = config['index-url'];
  if (index !== null) return resolveUrl(context, name, index);
  const url = resolveUrl(context, name, config.url);
  const slashed = url.endsWith('/') ? url : `${url}/`;
  if (config.speaks === 'python-index') return `${slashed}simple/`;
  return config.speaks === 'npm-registry' || config.speaks === 'maven-layout' ? slashed : url;
}
