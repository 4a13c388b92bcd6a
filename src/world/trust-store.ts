import { chmod, mkdir } from 'node:fs/promises';
import path from 'node:path';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import type { Agreement } from '../core/record/agreements.ts';
import { writeWhole } from './files.ts';
import { type Env, userConfigFolder } from './kept-credentials.ts';
import { readSecretFile } from './secret-file.ts';

/** The file of this user's answers. */
function trustFile(env: Env): string {
  return path.join(userConfigFolder(env), 'trust.yaml');
}

/** What this user has agreed to. @throws CREDENTIAL_UNSAFE when others could have written it, CONFIG_SYNTAX */
export async function readAgreements(env: Env): Promise<Agreement[]> {
  const file = trustFile(env);
  const text = await readSecretFile(file);
  if (text === undefined) return [];
  // Most people never agreed to anything, and every survey asks.
  const { parseAgreements } = await import('../core/record/agreements.ts');
  try {
    return parseAgreements(text);
  } catch (cause) {
    throw new BevelstoneError('CONFIG_SYNTAX', {
      message: `${file} cannot be read`,
      why: 'it is not valid YAML',
      fix: 'Fix the file, or delete it and answer again',
      where: { file },
      cause,
    });
  }
}

/** Keeps answers beside the earlier ones. */
export async function keepAgreements(agreed: readonly Agreement[], env: Env): Promise<void> {
  const file = trustFile(env);
  const all = [...(await readAgreements(env)), ...agreed];
  const folder = path.dirname(file);
  const { formatAgreements } = await import('../core/record/agreements.ts');
  await mkdir(folder, { recursive: true, mode: 0o700 });
  await chmod(folder, 0o700);
  await writeWhole(file, formatAgreements(all), 0o600);
}
