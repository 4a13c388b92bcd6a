/** How a machine is reached. */
export type SshConnection = {
  readonly host: string;
  /** Null for what the ssh client takes by itself. */
  readonly user: string | null;
  readonly port: number | null;
  /** Path of a private key; null for the usual ones. */
  readonly key: string | null;
  /** Path of a file of host keys; null for the usual ones. */
  readonly knownHosts: string | null;
  /** Folder there, absolute or relative to the user's home. */
  readonly folder: string;
  /** For people and for the ledger. */
  readonly where: string;
  readonly env: Readonly<Record<string, string>>;
  readonly signal: AbortSignal;
};

/**
 * Arguments of the ssh client (ssh(1), ssh_config(5)): it never asks, takes no host key that is not known, forwards nothing and
 * notices within a minute that the other end is gone.
 */
export function sshArguments(
  { host, user, port, key, knownHosts }: SshConnection,
  options: readonly string[],
  command: string,
): string[] {
  const settings = [
    'BatchMode=yes',
    'StrictHostKeyChecking=yes',
    'ForwardAgent=no',
    'ForwardX11=no',
    'ClearAllForwardings=yes',
    'PermitLocalCommand=no',
    // A shared connection would stay behind and keep our pipes open; another command would take the place of ours.
    'ControlMaster=no',
    'ControlPath=none',
    'RemoteCommand=none',
    'ConnectTimeout=20',
    'ServerAliveInterval=15',
    'ServerAliveCountMax=3',
    ...(key === null ? [] : ['IdentitiesOnly=yes']),
    ...(knownHosts === null ? [] : [`UserKnownHostsFile=${escapedPath(knownHosts)}`]),
  ];
  return [
    ...settings.flatMap((setting) => ['-o', setting]),
    ...(key === null ? [] : ['-i', key]),
    ...(port === null ? [] : ['-p', String(port)]),
    ...(user === null ? [] : ['-l', user]),
    ...options,
    '--',
    host,
    command,
  ];
}

/** A list of paths is split at blanks, and `%` begins a placeholder (ssh_config(5), "TOKENS"). */
function escapedPath(path: string): string {
  return `"${path.replaceAll('%', '%%')}"`;
}

/** One line for the login shell there: it starts a POSIX shell, which goes to the folder first. */
export function commandLine({
  run,
  folder,
  env,
}: {
  readonly run: string;
  readonly folder: string;
  readonly env: Readonly<Record<string, string>>;
}): string {
  const names = Object.entries(env).map(([name, value]) => `export ${name}=${quoted(value)}`);
  return `exec sh -c ${quoted([...names, `cd -- ${quoted(folder)} || exit 1`, run].join('\n'))}`;
}

/** A word of the POSIX shell (POSIX.1-2017, XCU §2.2.2). */
export function quoted(text: string): string {
  return `'${text.replaceAll("'", `'\\''`)}'`;
}
