import { chmod, mkdir } from 'node:fs/promises';
import { homedir } from 'node:os';
import path from 'node:path';
import { parse, stringify } from 'yaml';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { objectOf } from '../core/manifest/fields.ts';
import { writeWhole } from './files.ts';
import { readSecretFile } from './secret-file.ts';

/** An environment in which settings are looked up. */
export type Env = Readonly<Record<string, string | undefined>>;

/** A credential with the only origins that may get it. */
type Kept = { readonly secret: string; readonly origins: readonly string[] };

/** The folder of this user's own settings (XDG Base Directory Specification, $XDG_CONFIG_HOME). */
export function userConfigFolder(env: Env): string {
  return path.join(env['XDG_CONFIG_HOME'] || path.join(env['HOME'] || homedir(), '.config'), 'bevelstone');
}

/** The file of kept credentials of this user. */
export function keptFile(env: Env): string {
  return path.join(userConfigFolder(env), 'kept.yaml');
}

/**
 * A kept credential, undefined when there is none of that name.
 * @param origins that it would be sent to.
 * @throws CREDENTIAL_ELSEWHERE when it was stored for other ones, CREDENTIAL_UNSAFE
 */
export async function readKept(name: string, origins: ReadonlySet<string>, env: Env): Promise<string | undefined> {
  const kept = toKept((await readAll(env))[name]);
  if (kept === null) return undefined;
  const other = [...origins].find((origin) => !kept.origins.includes(origin));
  if (other === undefined) return kept.secret;
  throw new BevelstoneError('CREDENTIAL_ELSEWHERE', {
    message: `kept:${name} is not sent to ${other}`,
    why: kept.origins.length === 0 ? 'it was stored without an origin' : `it was stored for ${kept.origins.join(', ')}`,
    fix: `If ${other} is right, store the credential for it: bevelstone probe DESTINATION --keep ${name}`,
  });
}

/**
 * Keeps a credential, with the others, readable by this user alone.
 * @param origins that may get it. @returns the file. @throws CREDENTIAL_UNSAFE
 */
export async function keepCredential(
  name: string,
  { secret, origins }: { readonly secret: string; readonly origins: ReadonlySet<string> },
  env: Env,
): Promise<string> {
  const file = keptFile(env);
  const kept = { ...(await readAll(env)), [name]: { secret, origins: [...origins] } };
  const folder = path.dirname(file);
  await mkdir(folder, { recursive: true, mode: 0o700 });
  await chmod(folder, 0o700);
  await writeWhole(file, stringify({ schema: 1, kept }), 0o600);
  return file;
}

function toKept(value: unknown): Kept | null {
  const { secret, origins } = objectOf(value);
  if (typeof secret !== 'string') return null;
  return { secret, origins: Array.isArray(origins) ? origins.filter((origin) => typeof origin === 'string') : [] };
}

async function readAll(env: Env): Promise<Readonly<Record<string, unknown>>> {
  const file = keptFile(env);
  const text = await readSecretFile(file);
  try {
    return objectOf(objectOf(parse(text ?? '', { maxAliasCount: 0 }))['kept']);
  } catch {
    // The parser's message would show the line, which may be a secret.
    throw new BevelstoneError('CREDENTIAL_MISSING', {
      message: `The kept credentials cannot be read`,
      why: `${file} is not well-formed YAML`,
      fix: 'Correct the file, or delete it and keep the credentials again',
      where: { file },
    });
  }
}
