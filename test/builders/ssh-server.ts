import { execFileSync, spawn } from 'node:child_process';
import { copyFileSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { userInfo } from 'node:os';
import path from 'node:path';
import { onTestFinished } from 'vitest';
import { freePort } from '../../src/world/server-step.ts';
import { temporaryFolder } from './repository.ts';

/** Debian's ssh server; a test that needs it is skipped where it is missing. */
export const sshServer = '/usr/sbin/sshd';

/** How the server is reached: what goes into the configuration of a deployment. */
export type SshServer = {
  readonly port: number;
  readonly key: string;
  readonly knownHosts: string;
  /** Lines for a deployment in bevelstone.yaml. */
  readonly lines: string;
  /** Ends the server and every session. */
  readonly stop: () => void;
};

/**
 * Debian's ssh server on loopback with keys and a configuration of its own, for the user who runs the tests, until the test
 * ends.
 * @param more further lines of its configuration.
 */
export async function startSshServer(more: readonly string[] = []): Promise<SshServer> {
  const folder = temporaryFolder();
  const file = (name: string) => path.join(folder, name);
  for (const name of ['host', 'client'])
    execFileSync('ssh-keygen', ['-q', '-t', 'ed25519', '-N', '', '-f', file(name)], { stdio: 'ignore' });
  const port = await freePort();
  copyFileSync(file('client.pub'), file('authorized'));
  writeFileSync(file('known'), `[127.0.0.1]:${port} ${readFileSync(file('host.pub'), 'utf8')}`);
  // The server of a superuser wants this folder, and its package makes it only for the system's own server.
  if (process.getuid?.() === 0) mkdirSync('/run/sshd', { recursive: true, mode: 0o755 });
  const settings = [
    `Port ${port}`,
    'ListenAddress 127.0.0.1',
    `HostKey ${file('host')}`,
    'PidFile none',
    `AuthorizedKeysFile ${file('authorized')}`,
    'StrictModes no',
    'PasswordAuthentication no',
    'KbdInteractiveAuthentication no',
    'UsePAM no',
    'PermitRootLogin yes',
    'MaxStartups 50',
    'Subsystem sftp internal-sftp',
    ...more,
  ];
  writeFileSync(file('config'), `${settings.join('\n')}\n`);
  const server = spawn(sshServer, ['-D', '-e', '-f', file('config')], { stdio: 'ignore', detached: true });
  const stop = () => {
    try {
      process.kill(-(server.pid ?? 0), 'SIGKILL');
    } catch {
      // It has ended.
    }
  };
  onTestFinished(stop);
  await answers(port);
  const lines = [
    'target: ssh',
    'host: 127.0.0.1',
    `user: ${userInfo().username}`,
    `port: ${port}`,
    `key: ${file('client')}`,
    `known-hosts: ${file('known')}`,
  ]
    .map((line) => `    ${line}\n`)
    .join('');
  return { port, key: file('client'), knownHosts: file('known'), lines, stop };
}

async function answers(port: number): Promise<void> {
  for (;;) {
    const isUp = await new Promise<boolean>((resolve) => {
      const socket = connect(port, '127.0.0.1');
      socket
        .once('data', () => resolve(true))
        .once('error', () => resolve(false))
        .once('close', () => resolve(false));
      socket.once('data', () => socket.destroy());
    });
    if (isUp) return;
  }
}
