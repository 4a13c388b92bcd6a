import { execFileSync, spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { homedir, userInfo } from 'node:os';
import path from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { it, onTestFinished } from 'vitest';
import { temporaryFolder } from './repository.ts';
import { hasTool } from './tools.ts';

/** Where `.ci/run` puts servers from the npm registry. */
const nodeServers = path.join(
  process.env['BEVELSTONE_TEST_SERVERS'] ?? path.join(homedir(), '.cache', 'bevelstone-servers'),
  'node_modules',
);

/** A server that none of us wrote. */
export type RealServer = 'docker-registry' | 'nginx' | 'verdaccio' | 's3rver' | 'swift';

/** `it`, or a test that is skipped with the reason printed when one of these servers is missing. */
export function itWithServer(...servers: readonly RealServer[]): typeof it | typeof it.skip {
  const missing = servers.filter((server) => !isHere(server));
  if (missing.length === 0) return it;
  // biome-ignore lint/suspicious/noConsole: a skipped test says why
  console.log(`skipped: there is no ${missing.join(', no ')} here`);
  return it.skip;
}

function isHere(server: RealServer): boolean {
  if (server === 'docker-registry') return hasTool('docker-registry', '--version');
  if (server === 'swift') return isSwiftHere();
  if (server === 'nginx') return hasTool('nginx', '-v') && existsSync(davModule);
  return existsSync(path.join(nodeServers, server));
}

const davModule = '/usr/lib/nginx/modules/ngx_http_dav_ext_module.so';

/** Who may write at every one of them. */
export const account = { user: 'harbour', password: 'office-password-42' };

async function freePort(): Promise<number> {
  const server = createServer();
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const address = server.address();
  await new Promise((resolve) => server.close(resolve));
  return typeof address === 'object' && address !== null ? address.port : 0;
}

/** Starts a program that serves until the test ends, and waits until it answers. */
async function serve(
  program: string,
  args: readonly string[],
  url: string,
  env: NodeJS.ProcessEnv = {},
): Promise<string> {
  const child = spawn(program, args, { stdio: 'ignore', env: { ...process.env, ...env } });
  onTestFinished(() => {
    child.kill('SIGKILL');
  });
  for (let attempt = 0; attempt < 1200; attempt++) {
    const isUp = await fetch(url).then(
      () => true,
      () => false,
    );
    if (isUp) return url;
    await sleep(100);
  }
  throw new Error(`${program} did not begin to answer`);
}

/** A registry of the distribution specification, of Debian, with basic authentication and deletion. */
export async function startDockerRegistry(): Promise<string> {
  const folder = temporaryFolder();
  const port = await freePort();
  const passwords = path.join(folder, 'passwords');
  writeFileSync(passwords, execFileSync('htpasswd', ['-Bbn', account.user, account.password]));
  const config = path.join(folder, 'config.yml');
  writeFileSync(
    config,
    JSON.stringify({
      version: '0.1',
      storage: { filesystem: { rootdirectory: path.join(folder, 'data') }, delete: { enabled: true } },
      http: { addr: `127.0.0.1:${port}` },
      auth: { htpasswd: { realm: 'office', path: passwords } },
    }),
  );
  return serve('docker-registry', ['serve', config], `http://127.0.0.1:${port}/`);
}

/** A web server of Debian with WebDAV. @param makesFolders whether it makes missing collections by itself. */
export async function startNginx(makesFolders: boolean): Promise<string> {
  const folder = temporaryFolder();
  const port = await freePort();
  for (const name of ['data', 'temporary']) mkdirSync(path.join(folder, name));
  writeFileSync(path.join(folder, 'passwords'), `${account.user}:{PLAIN}${account.password}\n`);
  const config = path.join(folder, 'nginx.conf');
  writeFileSync(
    config,
    `load_module ${davModule};
daemon off; user root; pid ${folder}/pid; error_log ${folder}/errors;
events {}
http {
  access_log off; client_body_temp_path ${folder}/temporary; client_max_body_size 0;
  server {
    listen 127.0.0.1:${port};
    root ${folder}/data;
    location / {
      dav_methods PUT DELETE MKCOL; dav_ext_methods PROPFIND OPTIONS;
      create_full_put_path ${makesFolders ? 'on' : 'off'}; dav_access user:rw;
      limit_except GET HEAD OPTIONS PROPFIND { auth_basic office; auth_basic_user_file ${folder}/passwords; }
    }
  }
}
`,
  );
  return serve('nginx', ['-c', config, '-e', `${folder}/errors`], `http://127.0.0.1:${port}/`);
}

/** A registry for npm; the token comes from making an account. */
export async function startVerdaccio(): Promise<{ readonly url: string; readonly token: string }> {
  const folder = temporaryFolder();
  const port = await freePort();
  const config = path.join(folder, 'config.yaml');
  writeFileSync(
    config,
    JSON.stringify({
      storage: path.join(folder, 'storage'),
      auth: { htpasswd: { file: path.join(folder, 'passwords') } },
      packages: { '**': { access: '$all', publish: '$authenticated', unpublish: '$authenticated' } },
      max_body_size: '2gb',
      log: { type: 'stdout', level: 'fatal' },
    }),
  );
  const program = path.join(nodeServers, '.bin', 'verdaccio');
  const url = await serve(program, ['--config', config, '--listen', `127.0.0.1:${port}`], `http://127.0.0.1:${port}/`);
  const answer = await fetch(`${url}-/user/org.couchdb.user:${account.user}`, {
    method: 'PUT',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ name: account.user, password: account.password, email: 'harbour@fenmarsh.example' }),
  });
  const { token } = (await answer.json()) as { token: string };
  return { url, token };
}

/** An object store; its keys are fixed. */
export async function startObjectStore(): Promise<string> {
  const port = await freePort();
  const program = path.join(nodeServers, '.bin', 's3rver');
  const args = ['--directory', temporaryFolder(), '--address', '127.0.0.1', '--port', String(port), '--silent'];
  return serve(program, args, `http://127.0.0.1:${port}/`);
}

/** Swift keeps what it knows of a file beside it, so the file system must take such attributes. */
function isSwiftHere(): boolean {
  const parts = ['proxy', 'account', 'container', 'object'].map((part) => `/usr/bin/swift-${part}-server`);
  if (![...parts, '/etc/swift/swift.conf'].every((file) => existsSync(file))) return false;
  const script = 'import os, tempfile; file = tempfile.TemporaryFile(); os.setxattr(file.fileno(), "user.a", b"1")';
  const { status } = spawnSync('python3', ['-c', script], { stdio: 'ignore' });
  return status === 0;
}

/** Who may only read the buckets that are public at Debian's Swift. */
export const guest = { user: 'office:guest', password: 'guest-password-42' };

/**
 * Debian's Swift with its S3 interface: it verifies signatures, and has no conditional writes. Its keys are
 * `office:harbour` and the password of `account`.
 */
export async function startSwift(): Promise<string> {
  const folder = temporaryFolder();
  const config = (name: string, port: number, sections: readonly string[]): string => {
    const file = path.join(folder, `${name}.conf`);
    const here = ['bind_ip = 127.0.0.1', `bind_port = ${port}`, `user = ${userInfo().username}`, 'workers = 0'];
    const kept = [`swift_dir = ${folder}`, `devices = ${folder}/devices`, 'mount_check = false'];
    writeFileSync(file, ['[DEFAULT]', ...here, ...kept, ...sections, ''].join('\n'));
    return file;
  };
  mkdirSync(path.join(folder, 'devices', 'd1'), { recursive: true });
  for (const part of ['account', 'container', 'object']) {
    const port = await freePort();
    const rings = path.join(folder, `${part}.builder`);
    const ring = (...args: string[]) => execFileSync('swift-ring-builder', [rings, ...args], { stdio: 'ignore' });
    ring('create', '4', '1', '1');
    ring('add', `r1z1-127.0.0.1:${port}/d1`, '1');
    ring('rebalance');
    const server = [`[pipeline:main]`, `pipeline = ${part}-server`, `[app:${part}-server]`, `use = egg:swift#${part}`];
    await serve(`swift-${part}-server`, [config(part, port, server)], `http://127.0.0.1:${port}/`);
  }
  const port = await freePort();
  const filters = [
    'catch_errors',
    'gatekeeper',
    'memcache',
    'listing_formats',
    'bulk',
    's3api',
    'tempauth',
    'slo',
    'dlo',
  ];
  const proxy = config('proxy', port, [
    '[pipeline:main]',
    `pipeline = ${filters.join(' ')} proxy-server`,
    '[app:proxy-server]',
    'use = egg:swift#proxy',
    'account_autocreate = true',
    ...filters.flatMap((name) => [`[filter:${name}]`, `use = egg:swift#${name}`, ...(swiftSettings[name] ?? [])]),
  ]);
  return serve('swift-proxy-server', [proxy], `http://127.0.0.1:${port}/`);
}

const swiftSettings: Readonly<Record<string, readonly string[]>> = {
  // There is no cache here: it is asked for, and does without.
  memcache: ['memcache_servers = 127.0.0.1:9'],
  s3api: ['location = us-east-1'],
  tempauth: [`user_office_${account.user} = ${account.password} .admin`, `user_office_guest = ${guest.password}`],
};
