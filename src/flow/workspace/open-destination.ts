import path from 'node:path';
import { pathToFileURL } from 'node:url';
import type { DestinationConfig } from '../../core/config/config.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { carrierOf, isRemote, layoutNamed } from '../../core/name/protocol.ts';
import { protocolDefinitions } from '../../core/protocol/definitions.ts';
import { nearest } from '../../core/text/nearest.ts';
import { isPlainWord } from '../../core/text/redact.ts';
import { connectors } from '../../destination/connectors.ts';
import type { Destination } from '../../destination/destination.ts';
import { usualCredential } from '../../store/authorization.ts';
import type { Connection } from '../../store/connection.ts';
import { storeOpeners } from '../../store/openers.ts';
import type { Store } from '../../store/store.ts';
import { type Credential, readCredential, readSecret } from '../../world/credential.ts';
import { placeInside } from '../../world/place-inside.ts';
import { type Context, warn, warnOnce } from '../context.ts';
import { remoteUrl } from './remote-url.ts';
import { resolveUrl } from './resolve-url.ts';
import { ensureTrustOf, originsFor, type WorkspacePlace } from './trust.ts';
import type { Workspace } from './workspace.ts';

/** A destination of the configuration, and the workspace that it belongs to. */
type Named = { readonly name: string; readonly config: DestinationConfig; readonly repository: WorkspacePlace };

/**
 * Opens a destination: its address and credential are looked up now, after the user has agreed to its origins.
 * @throws TRUST_NEEDED, ENVIRONMENT_MISSING, CREDENTIAL_MISSING, CREDENTIAL_UNSAFE, CREDENTIAL_ELSEWHERE, CREDENTIAL_KIND
 */
export async function openDestination(context: Context, named: Named): Promise<Destination> {
  const connect = await connectors[named.config.speaks]();
  return connect(await connectionTo(context, named));
}

/**
 * Opens the store that a destination keeps its files in, without the layout.
 * @throws USAGE when it has none, and like `openDestination`.
 */
export async function openStoreOf(
  context: Context,
  { config: { destinations }, repository }: Workspace,
  name: string,
): Promise<Store> {
  const config = destinations[name];
  const known = Object.entries(destinations).flatMap(([other, { over }]) => (over === null ? [] : [other]));
  if (config === undefined || config.over === null) {
    const near = nearest(name, known);
    throw new BevelstoneError('CONFIG_UNKNOWN_REFERENCE', {
      message:
        config === undefined ? `unknown destination "${name}"` : `"${name}" is not a store: it speaks ${config.speaks}`,
      why: known.length === 0 ? 'bevelstone.yaml has no store' : `stores in bevelstone.yaml: ${known.join(', ')}`,
      fix: near === null ? 'Name a destination that speaks folder, http-put or s3' : `Did you mean "${near}"?`,
    });
  }
  const open = await storeOpeners[config.over]();
  return open(await connectionTo(context, { name, config, repository }));
}

async function connectionTo(context: Context, { name, config, repository }: Named): Promise<Connection> {
  const { root } = repository;
  const url = resolveUrl(context, name, config.url);
  const indexUrl = config['index-url'] === null ? null : resolveUrl(context, name, config['index-url']);
  const { signal, secrets, now, env } = context;
  const common = { name, config, indexUrl, signal, secrets, now, env };
  if (!isRemote(config)) {
    const local = { credential: { type: 'none' }, origins: new Set<string>(), oneTime: async () => null } as const;
    return { ...common, ...local, url: await folderOf(root, name, url) };
  }
  if (protocolDefinitions[config.speaks].usesGit) {
    const git = { credential: { type: 'none' }, origins: new Set<string>(), oneTime: async () => null } as const;
    return { ...common, ...git, url: remoteUrl(root, url) };
  }
  if (!/^https?:\/\//.test(url)) throw noAddress(name);
  await ensureTrustOf(context, repository, [{ name, config }]);
  const origins = originsFor(context, name, config);
  const place = { env: context.env, folder: root, origins };
  const found = new Set<string>();
  const credential = usualCredential(carrierOf(config), await readCredential(config.credential, place, found));
  for (const secret of found) context.secrets.add(secret);
  warnOfCredential(context, { name, url, credential });
  const oneTime = () => oneTimePassword(context, { name, config }, place);
  return { ...common, url, credential, origins, oneTime };
}

function warnOfCredential(
  context: Context,
  { name, url, credential }: { readonly name: string; readonly url: string; readonly credential: Credential },
): void {
  if (hasPlainSecret(credential))
    warnOnce(
      context,
      `the credential for ${name} is a plain word or shorter than 8 characters, so it cannot be hidden in output`,
    );
  if (credential.type !== 'none' && isPlainHttp(url))
    warn(context, `the credential for ${name} is sent unencrypted to ${new URL(url).host}`);
}

/** Whether a secret of a credential is one that cannot be searched for; user names are not secrets. */
function hasPlainSecret(credential: Credential): boolean {
  if (credential.type === 'token' || credential.type === 'bare') return isPlainWord(credential.secret);
  if (credential.type === 'basic') return isPlainWord(credential.password);
  if (credential.type === 'header') return isPlainWord(credential.value);
  return credential.type === 'keys' && isPlainWord(credential.secretKey);
}

/** A path inside the repository is input from outside, so no link in it is followed. */
async function folderOf(root: string, name: string, url: string): Promise<string> {
  const place = path.resolve(root, url);
  const first = path.relative(root, place).split(path.sep)[0];
  return first === '..' || path.isAbsolute(url) ? place : placeInside(root, url, `the folder of ${name}`);
}

/** From where the configuration says, else from the person. */
async function oneTimePassword(
  context: Context,
  { name, config }: { readonly name: string; readonly config: DestinationConfig },
  place: Parameters<typeof readSecret>[1],
): Promise<string | null> {
  const reference = config['one-time'];
  const password =
    reference === null ? await context.askSecret(`One-time password for ${name}`) : await readSecret(reference, place);
  if (password !== null) context.secrets.add(password);
  return password;
}

/** Whether others on the way could read what is sent: http to anywhere but this machine. */
function isPlainHttp(url: string): boolean {
  const { protocol, hostname } = new URL(url);
  return protocol === 'http:' && hostname !== 'localhost' && hostname !== '[::1]' && !hostname.startsWith('127.');
}

function noAddress(name: string): BevelstoneError {
  return new BevelstoneError('CONFIG_INVALID', {
    message: `invalid address for ${name}`,
    why: 'expected an address that begins with https:// or http://',
    fix: 'Write the complete address',
    where: { file: 'bevelstone.yaml' },
  });
}

/**
 * Where readers find what a destination has. Of a layout `url` and `index-url` are both the address of its top.
 * @param root of the repository, for a folder inside it. @throws ENVIRONMENT_MISSING
 */
export function readerUrl(
  context: Context,
  { name, config, root }: { readonly name: string; readonly config: DestinationConfig; readonly root: string },
): string {
  const index = config['index-url'];
  const definition = protocolDefinitions[config.speaks];
  const isLayout = layoutNamed(config.speaks) !== null;
  if (definition.usesGit) return remoteUrl(root, resolveUrl(context, name, index ?? config.url));
  if (index !== null && !isLayout) return resolveUrl(context, name, index);
  const url = resolveUrl(context, name, index ?? config.url);
  const isPath = isLayout && index === null && !isRemote(config);
  if (isPath) return definition.readerUrl(pathToFileURL(`${path.resolve(root, url)}/`).href);
  const { filesUrl } = protocolDefinitions[carrierOf(config)];
  return definition.readerUrl(isLayout && index === null ? filesUrl(url, config) : url);
}
