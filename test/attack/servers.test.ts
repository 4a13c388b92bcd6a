import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import type { ServerResponse } from 'node:http';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { type Answer, type Listener, listener } from '../builders/listener.ts';
import { bevelstoneJson } from '../builders/program.ts';
import { faultyProgram, type ReleaseWorkspace, releaseWorkspace } from '../builders/release-workspace.ts';
import { goodToken } from '../builders/workspace.ts';

/** A store that takes files, and gives back what the test wants. */
async function liar(giveBack: (response: ServerResponse, stored: Buffer) => void): Promise<Listener> {
  const files = new Map<string, Buffer>();
  return listener(async (request, response) => {
    const place = request.url ?? '';
    if (request.method === 'PUT') {
      const parts: Buffer[] = [];
      for await (const chunk of request) parts.push(chunk as Buffer);
      files.set(place, Buffer.concat(parts));
      response.writeHead(201).end();
    } else if (request.method === 'OPTIONS') response.writeHead(200).end();
    else if (request.method === 'GET' && files.has(place) && place.endsWith('.tgz'))
      giveBack(response, files.get(place) ?? Buffer.alloc(0));
    else if (request.method === 'GET' && files.has(place)) response.writeHead(200).end(files.get(place));
    else response.writeHead(404).end();
  });
}

async function withStore(store: Listener, more = ''): Promise<ReleaseWorkspace> {
  const w = await releaseWorkspace();
  const text = readFileSync(path.join(w.folder, 'bevelstone.yaml'), 'utf8');
  const config = `  office: { speaks: http-put, url: "${store.url}", credential: env:OFFICE_TOKEN, takes: [npm-tarball], confirm-for: 1 s${more} }`;
  w.commit('chore: a store', { 'bevelstone.yaml': text.replace(/^ {2}office: .*$/m, config) });
  w.git('push', '--quiet');
  return { ...w, env: { ...w.env, BEVELSTONE_TRUST: store.origin } };
}

const release = (w: ReleaseWorkspace, args: readonly string[] = [], env: Record<string, string> = {}) =>
  bevelstoneJson(['release', '--yes', ...args], { cwd: w.folder, env: { ...w.env, ...env }, program: faultyProgram() });
/** All limits of a request a hundred times shorter. */
const hurried = { BEVELSTONE_TIME_SCALE: '0.01' };

describe('a server that says it took a file', () => {
  it.each<[string, (response: ServerResponse, stored: Buffer) => void, string, string]>([
    ['and does not have it', (response) => void response.writeHead(404).end(), 'NOT_CONFIRMED', 'delivered'],
    [
      'and gives other bytes',
      (response, stored) => void response.writeHead(200).end(Buffer.concat([stored.subarray(1), Buffer.from('x')])),
      'DELIVERY_FAILED',
      'failed',
    ],
    [
      'and gives a login page',
      (response) => void response.writeHead(200, { 'content-type': 'text/html' }).end('<h1>Please log in</h1>'),
      'DELIVERY_FAILED',
      'failed',
    ],
    [
      'and gives more than it got',
      (response, stored) => void response.writeHead(200).end(Buffer.concat([stored, stored])),
      'DELIVERY_FAILED',
      'failed',
    ],
    [
      'and sends the reader to a login',
      (response) => void response.writeHead(401).end('log in first'),
      'NOT_CONFIRMED',
      'delivered',
    ],
  ])('%s has not got it: exit 5, and no checksum leads to it', async (_, giveBack, code, state) => {
    const store = await liar(giveBack);
    const w = await withStore(store);

    const run = await release(w);

    expect([run.exitCode, run.error?.code]).toEqual([5, code]);
    expect(run.result.releases[0].deliveries).toMatchObject([{ state, confirmed: 'no' }]);
    expect(store.asked.map(({ line }) => line).filter((line) => /^PUT .*(?:SHA256SUMS|\.sha256)$/.test(line))).toEqual(
      [],
    );
    const shown = await bevelstoneJson(['ledger', 'list'], { cwd: w.folder, env: w.env });
    expect(JSON.stringify(shown.result)).not.toContain('"bytes"');
  });

  it('and does not have it counts where the configuration says that it is looked at later', async () => {
    const store = await liar((response) => void response.writeHead(404).end());
    const w = await withStore(store, ', confirm: later');

    const run = await release(w);

    expect([run.exitCode, run.error]).toEqual([0, null]);
    expect(run.result.releases[0].deliveries).toMatchObject([{ state: 'delivered', confirmed: 'no' }]);
    expect(run.warnings.join('\n')).toContain('not confirmed');
  });

  it('and has it is believed, and a release that was not confirmed is finished by the same command', async () => {
    let isThere = false;
    const store = await liar(
      (response, stored) => void (isThere ? response.writeHead(200).end(stored) : response.writeHead(404).end()),
    );
    const w = await withStore(store);

    const first = await release(w);
    isThere = true;
    const next = await release(w, ['--resume']);

    expect([first.exitCode, next.exitCode, next.error]).toEqual([5, 0, null]);
    expect(next.result.releases[0].deliveries).toMatchObject([{ confirmed: 'bytes' }]);
  });
});

const forever = (response: ServerResponse, piece: string, everyMs: number): void => {
  const timer = setInterval(() => response.write(piece), everyMs);
  response.on('close', () => clearInterval(timer));
};

describe('a server that does not come to an end', () => {
  it.each<[string, Answer]>([
    ['accepts the connection and says nothing', () => new Promise(() => {})],
    [
      'sends one byte at a time',
      (_, response) => {
        response.writeHead(200, { 'content-length': '100000' });
        forever(response, 'x', 100);
        return new Promise(() => {});
      },
    ],
    [
      'sends an error without end',
      (_, response) => {
        response.writeHead(500);
        forever(response, 'no '.repeat(10_000), 1);
        return new Promise(() => {});
      },
    ],
    [
      'stops in the middle of an answer',
      (_, response) => {
        response.writeHead(200, { 'content-length': '100000' });
        response.write('{"name":');
        return new Promise(() => {});
      },
    ],
  ])('and %s is given up', async (_, answer) => {
    const server = await listener(answer);
    const w = await releaseWorkspace();
    const env = { ...w.env, OFFICE: `${server.url}node/`, BEVELSTONE_TRUST: server.origin, ...hurried };

    const run = await bevelstoneJson(['probe'], { cwd: w.folder, env, program: faultyProgram() });

    expect([run.exitCode, run.error?.code]).toEqual([5, 'PROBE_FAILED']);
  });

  it('while a delivery is downloaded again is given up after confirm-for', async () => {
    const store = await liar((response) => {
      response.writeHead(200);
      forever(response, 'x', 50);
    });
    const w = await withStore(store);

    const run = await release(w);

    expect([run.exitCode, run.error?.code]).toEqual([5, 'NOT_CONFIRMED']);
  });
});

describe('what a server says', () => {
  it('is shown cleaned and short, and never with the secret that it repeats', async () => {
    const server = await listener((request, response) => {
      const said = `${'.'.repeat(185)}${String(request.headers.authorization)} \u001b[31mred\u202e ${'x'.repeat(100_000)}`;
      response.writeHead(403, { 'content-type': 'application/json' }).end(JSON.stringify({ error: said }));
    });
    const w = await releaseWorkspace();
    const env = { ...w.env, OFFICE: `${server.url}node/`, BEVELSTONE_TRUST: server.origin };

    const run = await bevelstoneJson(['probe'], { cwd: w.folder, env });
    const all = run.stdout + run.stderr;

    expect(run.error?.why).toContain('answered 403');
    expect(run.error?.why.length).toBeLessThan(400);
    expect(all).not.toContain('\u001b[31m');
    for (let length = 12; length <= goodToken.length; length++) expect(all).not.toContain(goodToken.slice(0, length));
  });

  it('through a hook of the remote is shown, cleaned and short', async () => {
    const w = await releaseWorkspace();
    const hook = path.join(w.top, 'remote.git/hooks/pre-receive');
    writeFileSync(
      hook,
      '#!/bin/sh\nprintf "only the harbour desk releases \\033[31mred\\n" >&2\nseq 1 500 >&2\nexit 1\n',
      { mode: 0o755 },
    );

    const run = await w.release();

    expect([run.exitCode, run.error?.code]).toEqual([5, 'REMOTE_REFUSED']);
    expect(run.error?.why).toContain('the remote says: only the harbour desk releases');
    expect(run.error?.why).toMatch(/and \d+ more lines$/);
    expect(run.stdout).not.toContain('\\u001b');
    expect(existsSync(path.join(w.folder, 'bevelstone-out'))).toBe(false);
  });
});
