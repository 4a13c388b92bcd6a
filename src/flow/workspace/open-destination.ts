import path from 'node:path';
import type { DestinationConfig } from '../../core/config/config.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { isSnapshot } from '../../core/protocol/maven-layout/maven-layout.ts';
import { isTooPlain } from '../../core/text/redact.ts';
import type { Spellings } from '../../core/version/spelling.ts';
import { authorizationHeaders, usualCredential } from '../../destination/authorization.ts';
import type { Destination } from '../../destination/destination.ts';
import type { Web } from '../../destination/web.ts';
import { type Credential, readCredential, readSecret } from '../../world/credential.ts';
import { placeInside } from '../../world/place-inside.ts';
import { type Context, warn, warnOnce } from '../context.ts';
import { resolveUrl } from './resolve-url.ts';
import { ensureTrustOf, originsFor, type WorkspacePlace } from './trust.ts';

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
 * Opens a destination: its address and credential are looked up now, and never before somebody agreed to where it goes.
 * @throws TRUST_NEEDED, ENVIRONMENT_MISSING, CREDENTIAL_MISSING, CREDENTIAL_UNSAFE, CREDENTIAL_ELSEWHERE, CREDENTIAL_KIND
 */
export async function openDestination(
  context: Context,
  name: string,
  config: DestinationConfig,
  repository: WorkspacePlace,
): Promise<Destination> {
  const { root } = repository;
  const url = resolveUrl(context, name, config.url);
  const indexUrl = config['index-url'] === null ? null : resolveUrl(context, name, config['index-url']);
  if (config.speaks === 'folder') {
    const { folderDestination } = await import('../../destination/folder/folder.ts');
    return folderDestination({ name, folder: await folderOf(root, name, url), under: config.under, indexUrl });
  }
  if (!/^https?:\/\//.test(url)) throw noAddress(name);
  await ensureTrustOf(context, repository, [{ name, config }]);
  const origins = originsFor(context, name, config);
  const place = { env: context.env, folder: root, origins };
  const found = new Set<string>();
  const credential = usualCredential(config.speaks, await readCredential(config.credential, place, found));
  for (const secret of found) context.secrets.add(secret);
  if (hasPlainSecret(credential))
    warnOnce(
      context,
      `the credential for ${name} is a plain word or shorter than 8 characters: it cannot be told from other text, so nothing would hide it in output`,
    );
  if (credential.type !== 'none' && isOpenRoad(url))
    warn(context, `the credential for ${name} travels unencrypted to ${new URL(url).host}`);
  return connect(context, { name, config, url, indexUrl, credential, root, origins });
}

/** Whether a secret of a credential is one that cannot be searched for; user names are no secrets. */
function hasPlainSecret(credential: Credential): boolean {
  if (credential.type === 'token' || credential.type === 'bare') return isTooPlain(credential.secret);
  if (credential.type === 'basic') return isTooPlain(credential.password);
  if (credential.type === 'header') return isTooPlain(credential.value);
  return credential.type === 'keys' && isTooPlain(credential.secretKey);
}

type Connection = {
  readonly name: string;
  readonly config: DestinationConfig;
  readonly url: string;
  readonly indexUrl: string | null;
  readonly credential: Credential;
  readonly root: string;
  /** The only origins that get the credential. */
  readonly origins: ReadonlySet<string>;
};

/** A path inside the repository belongs to whoever wrote the tree, so no link in it is followed. */
async function folderOf(root: string, name: string, url: string): Promise<string> {
  const place = path.resolve(root, url);
  const first = path.relative(root, place).split(path.sep)[0];
  return first === '..' || path.isAbsolute(url) ? place : placeInside(root, url, `the folder of ${name}`);
}

/** Loads the protocol's own code only now: some of it is large. */
async function connect(context: Context, connection: Connection): Promise<Destination> {
  const { name, config, url, indexUrl, credential, origins } = connection;
  const { signal, secrets, now } = context;
  if (config.speaks === 's3') {
    const { bucket, region, 'path-style': pathStyle, 'make-bucket': makeBucket, under } = config;
    const { s3 } = await import('../../destination/s3/s3.ts');
    return s3({ name, url, bucket: bucket ?? '', region, pathStyle, makeBucket, under, credential, signal, secrets });
  }
  if (config.speaks === 'oci') {
    const { oci } = await import('../../destination/oci/oci.ts');
    return oci({ web: { name, headers: {}, signal, origins, secrets }, url, credential, secrets });
  }
  const web: Web = { name, headers: authorizationHeaders(config.speaks, credential), signal, origins, secrets };
  for (const value of Object.values(web.headers)) secrets.add(value.replace(/^\w+ /, ''));
  if (config.speaks === 'npm-registry') {
    const { npmRegistry } = await import('../../destination/npm-registry/npm-registry.ts');
    return npmRegistry({ web, url, access: config.access, oneTime: () => oneTimePassword(context, connection) });
  }
  if (config.speaks === 'python-index') {
    const { pythonIndex } = await import('../../destination/python-index/python-index.ts');
    return pythonIndex({ web, url, indexUrl });
  }
  if (config.speaks === 'nuget-v3') {
    const { nugetV3 } = await import('../../destination/nuget-v3/nuget-v3.ts');
    return nugetV3({ web, url });
  }
  if (config.speaks === 'maven-layout') {
    const { mavenLayout } = await import('../../destination/maven-layout/maven-layout.ts');
    return mavenLayout({ web, url, snapshots: config.snapshots, now });
  }
  const { httpPut } = await import('../../destination/http-put/http-put.ts');
  return httpPut({ web, url, under: config.under });
}

/** From where the configuration says, else from the person. */
async function oneTimePassword(context: Context, { name, config, root, origins }: Connection): Promise<string | null> {
  const reference = config['one-time'];
  const password =
    reference === null
      ? await context.askSecret(`One-time password for ${name}`)
      : await readSecret(reference, { env: context.env, folder: root, origins });
  if (password !== null) context.secrets.add(password);
  return password;
}

/** Whether others on the way could read what is sent: http to anywhere but this machine. */
function isOpenRoad(url: string): boolean {
  const { protocol, hostname } = new URL(url);
  return protocol === 'http:' && hostname !== 'localhost' && hostname !== '[::1]' && !hostname.startsWith('127.');
}

function noAddress(name: string): BevelstoneError {
  return new BevelstoneError('CONFIG_INVALID', {
    message: `The address of ${name} cannot be used`,
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
