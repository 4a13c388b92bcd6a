import path from 'node:path';
import { runCommand } from './command.ts';
import { makeFolder, readText, sizeOf, writeWhole } from './files.ts';

/** A file, the signature beside it, and the key it should be by. */
export type SignedFile = {
  readonly file: string;
  readonly signature: string;
  readonly key: string;
  /** An empty folder, for what the checking program keeps. */
  readonly folder: string;
  readonly env: Readonly<Record<string, string | undefined>>;
  readonly signal: AbortSignal;
};

/** What a check said: by whom it is, or why it does not hold, or that the program is not here. */
export type SignatureCheck =
  | { readonly type: 'good'; readonly by: string }
  | { readonly type: 'bad'; readonly why: string }
  | { readonly type: 'not-checked'; readonly program: string };

const maxKeyBytes = 1 << 20;

/** Checks a detached signature: OpenPGP (RFC 9580 §10.4) by gpg, SSH (PROTOCOL.sshsig) by ssh-keygen, as the key's file is written. */
export async function checkSignature(signed: SignedFile): Promise<SignatureCheck> {
  if ((await sizeOf(signed.signature)) > maxKeyBytes) return { type: 'bad', why: 'the signature has more than 1 MiB' };
  const isSsh = (await readText(signed.signature)).startsWith('-----BEGIN SSH SIGNATURE-----');
  return isSsh ? checkSsh(signed) : checkOpenPgp(signed);
}

async function checkOpenPgp({ file, signature, key, folder, env, signal }: SignedFile): Promise<SignatureCheck> {
  const home = path.join(folder, 'keys');
  await makeFolder(home, 0o700);
  const place = { folder, env: { PATH: env['PATH'] ?? '', LC_ALL: 'C', GNUPGHOME: home }, signal };
  const common = [
    '--batch',
    '--no-tty',
    '--no-autostart',
    '--status-fd',
    '1',
    '--no-auto-key-retrieve',
    '--no-auto-key-import',
  ];
  const taken = await runCommand({ ...place, program: 'gpg', args: [...common, '--import', key] });
  if (taken.type === 'missing') return { type: 'not-checked', program: 'gpg' };
  if (!/^\[GNUPG:\] IMPORT_OK /m.test(taken.stdout)) return { type: 'bad', why: `${key} has no OpenPGP key` };
  const args = [...common, '--trust-model', 'always', '--verify', signature, file];
  const end = await runCommand({ ...place, program: 'gpg', args });
  if (end.type === 'missing') return { type: 'not-checked', program: 'gpg' };
  const valid = /^\[GNUPG:\] VALIDSIG ([0-9A-F]+)/m.exec(end.stdout)?.[1];
  const isGood = /^\[GNUPG:\] GOODSIG /m.test(end.stdout) && end.exitCode === 0 && valid !== undefined;
  if (isGood) return { type: 'good', by: `OpenPGP key ${valid}` };
  const said = /^\[GNUPG:\] (BADSIG|ERRSIG|NO_PUBKEY|EXPKEYSIG|REVKEYSIG|EXPSIG|NODATA)/m.exec(end.stdout)?.[1] ?? '';
  return { type: 'bad', why: reasons[said] ?? 'gpg found no valid signature' };
}

const reasons: Readonly<Record<string, string>> = {
  BADSIG: 'the file is not the one that was signed',
  ERRSIG: 'it is not by the key that was given',
  NO_PUBKEY: 'it is not by the key that was given',
  EXPKEYSIG: 'the key has expired',
  REVKEYSIG: 'the key was revoked',
  EXPSIG: 'the signature has expired',
  NODATA: 'it is not an OpenPGP signature',
};

async function checkSsh({ file, signature, key, folder, env, signal }: SignedFile): Promise<SignatureCheck> {
  // A line of a public key alone is made one that allows whoever has it (ssh-keygen(1), ALLOWED SIGNERS).
  const allowed = path.join(folder, 'allowed');
  const lines = (await readText(key)).split('\n').map((line) => (/^(?:ssh|ecdsa|sk)-/.test(line) ? `* ${line}` : line));
  await writeWhole(allowed, lines.join('\n'));
  const place = { folder, env: { PATH: env['PATH'] ?? '', LC_ALL: 'C' }, signal };
  const who = await runCommand({
    ...place,
    program: 'ssh-keygen',
    args: ['-Y', 'find-principals', '-s', signature, '-f', allowed],
  });
  if (who.type === 'missing') return { type: 'not-checked', program: 'ssh-keygen' };
  const [principal = ''] = who.stdout.split('\n');
  if (who.exitCode !== 0 || principal === '') return { type: 'bad', why: 'it is not by the key that was given' };
  const check = `exec ssh-keygen -Y verify -f "$1" -I "$2" -n file -s "$3" < "$4"`;
  const args = ['-c', check, 'sh', allowed, principal === '*' ? 'anyone' : principal, signature, file];
  const end = await runCommand({ ...place, program: '/bin/sh', args });
  if (end.type === 'missing') return { type: 'not-checked', program: 'ssh-keygen' };
  const by = /with (.*)$/m.exec(end.stdout)?.[1];
  if (end.exitCode !== 0) return { type: 'bad', why: 'the file is not the one that was signed' };
  return { type: 'good', by: `SSH key ${by ?? principal}` };
}
