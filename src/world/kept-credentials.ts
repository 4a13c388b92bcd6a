import { chmod, mkdir } from 'node:fs/promises';
import { homedir } from 'node:os';
import path from 'node:path';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { formatKept, type KeptEntries, keptCredential, parseKept } from '../core/record/kept.ts';
import { whyUnreadable } from '../core/record/parse-record.ts';
import { writeWhole } from './files.ts';
import { readSecretFile } from './secret-file.ts';

/** An environment in which settings are looked up. */
export type Env = Readonly<Record<string, string | undefined>>;

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
 * @throws CREDENTIAL_ELSEWHERE when it was stored for other ones, CREDENTIAL_UNSAFE, KEPT_DAMAGED
 */
export async function readKept(name: string, origins: ReadonlySet<string>, env: Env): Promise<string | undefined> {
  const kept = keptCredential(await readAll(env), name);
  if (kept === null) return undefined;
  if ('why' in kept) throw damaged(keptFile(env), kept.why);
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
 * @param origins that may get it. @returns the file. @throws CREDENTIAL_UNSAFE, KEPT_DAMAGED
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
  await writeWhole(file, formatKept(kept), 0o600);
  return file;
}

async function readAll(env: Env): Promise<KeptEntries> {
  const file = keptFile(env);
  const parsed = parseKept((await readSecretFile(file)) ?? '');
  if (parsed.type === 'record') return parsed.record;
  throw damaged(file, whyUnreadable(parsed));
}

function damaged(file: string, why: string): BevelstoneError {
  return new BevelstoneError('KEPT_DAMAGED', {
    message: 'cannot read the kept credentials',
    why,
    fix: 'Fix the file, or delete it and store the credentials again',
    where: { file },
  });
}
