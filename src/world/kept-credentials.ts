import { chmod, mkdir } from 'node:fs/promises';
import { homedir } from 'node:os';
import path from 'node:path';
import { parse, stringify } from 'yaml';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { objectOf } from '../core/manifest/fields.ts';
import { writeWhole } from './files.ts';
import { readSecretFile } from './secret-file.ts';

type Env = Readonly<Record<string, string | undefined>>;

/** The file of kept credentials of this user (XDG Base Directory Specification, $XDG_CONFIG_HOME). */
export function keptFile(env: Env): string {
  const base = env['XDG_CONFIG_HOME'] || path.join(env['HOME'] || homedir(), '.config');
  return path.join(base, 'bevelstone', 'kept.yaml');
}

/** A kept credential, undefined when there is none of that name. @throws CREDENTIAL_UNSAFE */
export async function readKept(name: string, env: Env): Promise<string | undefined> {
  const value = (await readAll(env))[name];
  return typeof value === 'string' ? value : undefined;
}

/** Keeps a credential, with the others, readable by this user alone. @returns the file. @throws CREDENTIAL_UNSAFE */
export async function keepCredential(name: string, secret: string, env: Env): Promise<string> {
  const file = keptFile(env);
  const kept = { ...(await readAll(env)), [name]: secret };
  const folder = path.dirname(file);
  await mkdir(folder, { recursive: true, mode: 0o700 });
  await chmod(folder, 0o700);
  await writeWhole(file, stringify({ schema: 1, kept }), 0o600);
  return file;
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
      why: `${file} is no YAML`,
      fix: 'Correct the file, or delete it and keep the credentials again',
      where: { file },
    });
  }
}
