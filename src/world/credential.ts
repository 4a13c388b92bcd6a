import { homedir } from 'node:os';
import path from 'node:path';
import type { CredentialConfig, SecretReference } from '../core/config/config.ts';
import { chainVariables, isReference } from '../core/config/secret-references.ts';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { readKept } from './kept-credentials.ts';
import { readSecretFile } from './secret-file.ts';
import { hiddenVariable } from './secret-vault.ts';

/** Where secrets are looked up. */
export type SecretPlace = {
  readonly env: Readonly<Record<string, string | undefined>>;
  /** What a relative path of `file:` is relative to. */
  readonly folder: string;
  /** Origins that the secret would be sent to; none for a secret that stays here. */
  readonly origins: ReadonlySet<string>;
};

/** A credential as a destination uses it; `bare` is left to the protocol, whose usual kind it is. */
export type Credential =
  | { readonly type: 'none' }
  | { readonly type: 'chain' }
  | { readonly type: 'bare'; readonly secret: string }
  | { readonly type: 'token'; readonly secret: string }
  | { readonly type: 'basic'; readonly user: string; readonly password: string }
  | { readonly type: 'header'; readonly name: string; readonly value: string }
  | { readonly type: 'keys'; readonly accessKey: string; readonly secretKey: string; readonly session: string | null };

/**
 * Follows the references of a credential to its secrets.
 * @param found gets every secret, so that it is never shown.
 * @throws CREDENTIAL_MISSING, CREDENTIAL_UNSAFE when others could read the file.
 */
export async function readCredential(
  config: CredentialConfig,
  place: SecretPlace,
  found: Set<string>,
): Promise<Credential> {
  const read = async (reference: SecretReference) => {
    const secret = await readSecret(reference, place);
    found.add(secret);
    return secret;
  };
  if (config === 'none') return { type: 'none' };
  if (config === 'chain') return chainFrom(found);
  if (typeof config === 'string') {
    const secret = await read(config);
    // Each half of USER:PASSWORD is sent by itself as well.
    const password = secret.slice(secret.indexOf(':') + 1);
    found.add(password);
    return { type: 'bare', secret };
  }
  if ('token' in config) return { type: 'token', secret: await read(config.token) };
  if ('header' in config) return { type: 'header', name: config.header, value: await read(config.value) };
  if ('user' in config) {
    const user = isReference(config.user) ? await read(config.user) : config.user;
    const password = await read(config.password);
    found.add(`${user}:${password}`);
    return { type: 'basic', user, password };
  }
  return {
    type: 'keys',
    accessKey: await read(config['access-key']),
    secretKey: await read(config['secret-key']),
    session: config.session === undefined ? null : await read(config.session),
  };
}

/** Follows one reference, `env:NAME`, `file:PATH` or `kept:NAME`, to its secret. @throws like readCredential. */
export async function readSecret(reference: SecretReference, { env, folder, origins }: SecretPlace): Promise<string> {
  const name = reference.slice(reference.indexOf(':') + 1);
  const value = reference.startsWith('env:')
    ? (env[name] ?? hiddenVariable(name))
    : reference.startsWith('kept:')
      ? await readKept(name, origins, env)
      : await readSecretFile(name.startsWith('~/') ? path.join(homedir(), name.slice(2)) : path.resolve(folder, name));
  const secret = value?.trim() ?? '';
  if (secret !== '') return secret;
  const [why, fix] = missing(reference, name);
  throw new BevelstoneError('CREDENTIAL_MISSING', {
    message: `the credential ${reference} is empty or missing`,
    why,
    fix,
  });
}

function missing(reference: string, name: string): [string, string] {
  if (reference.startsWith('env:'))
    return [
      `the environment variable ${name} is not set`,
      `Set ${name} for this command; CI keeps such values as secrets`,
    ];
  if (reference.startsWith('kept:'))
    return [`nothing is kept under ${name}`, `Run: bevelstone probe --keep ${name}, which asks for it and tries it`];
  return [`there is no text in ${name}`, `Write the token into ${name} and give it mode 0600`];
}

/** Keys that were hidden from child processes come from here; all else of the chain is the client's own business. */
function chainFrom(found: Set<string>): Credential {
  const [accessKey, secretKey, session] = chainVariables.map(hiddenVariable);
  if (accessKey === undefined || secretKey === undefined) return { type: 'chain' };
  for (const secret of [accessKey, secretKey, session]) if (secret !== undefined) found.add(secret);
  return { type: 'keys', accessKey, secretKey, session: session ?? null };
}
