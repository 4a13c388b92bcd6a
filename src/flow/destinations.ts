import path from 'node:path';
import type { DestinationConfig } from '../core/config/config.ts';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import type { Destination } from '../destination/destination.ts';
import { folderDestination } from '../destination/folder.ts';
import { npmRegistry } from '../destination/npm-registry.ts';
import { readCredential } from '../world/credential.ts';
import { type Context, warn } from './context.ts';

/** Forms that a protocol takes when the configuration does not say. Null: any. */
const usualForms: Readonly<Record<DestinationConfig['speaks'], readonly string[] | null>> = {
  'npm-registry': ['npm-tarball'],
  folder: null,
};

/** Whether a destination takes artifacts of this form. */
export function takesForm({ speaks, takes }: DestinationConfig, form: string): boolean {
  const forms = takes ?? usualForms[speaks];
  return forms === null || forms.includes(form);
}

/** Whether a destination takes releases of this stream; by default all but those for looking. */
export function takesStream(
  { streams }: DestinationConfig,
  stream: { readonly name: string; readonly type: string },
): boolean {
  return streams === null ? stream.type !== 'look' : streams.includes(stream.name);
}

/** Opens a destination: its address and credential are looked up now. @throws ENVIRONMENT_MISSING, CREDENTIAL_MISSING, CREDENTIAL_UNSAFE */
export async function openDestination(
  context: Context,
  name: string,
  config: DestinationConfig,
  root: string,
): Promise<Destination> {
  const url = resolveUrl(context, name, config.url);
  if (config.speaks === 'folder')
    return folderDestination({ name, folder: path.resolve(root, url), under: config.under });
  if (!/^https?:\/\//.test(url)) throw noAddress(name, url);
  const token = await readCredential(config.credential, context.env, root);
  if (token !== null) context.secrets.add(token);
  if (token !== null && isOpenRoad(url))
    warn(context, `the credential for ${name} travels unencrypted to ${new URL(url).host}`);
  return npmRegistry({ name, url, token, access: config.access, signal: context.signal });
}

/** Whether others on the way could read what is sent: http to anywhere but this machine. */
function isOpenRoad(url: string): boolean {
  const { protocol, hostname } = new URL(url);
  return protocol === 'http:' && hostname !== 'localhost' && hostname !== '[::1]' && !hostname.startsWith('127.');
}

function resolveUrl({ env }: Context, name: string, url: string): string {
  if (!url.startsWith('env:')) return url;
  const variable = url.slice('env:'.length);
  const value = env[variable]?.trim() ?? '';
  if (value !== '') return value;
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
