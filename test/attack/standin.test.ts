import { once } from 'node:events';
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import path from 'node:path';
import { execa } from 'execa';
import { describe, expect, it, onTestFinished } from 'vitest';
import { testStandin } from '../builders/parcel.ts';
import { programFile } from '../builders/program.ts';
import { releaseWorkspace } from '../builders/release-workspace.ts';
import { temporaryFolder, testEnvironment } from '../builders/repository.ts';
import { tokenFor } from '../builders/workspace.ts';

type Running = {
  readonly stop: () => Promise<unknown>;
  readonly result: { readonly url: string; readonly store: string; readonly tokens: readonly string[] };
};

/** Starts the stand-in, waits until it runs, and stops it when the test is over. */
async function running(cwd: string, ...args: string[]): Promise<Running> {
  const child = execa(process.execPath, [programFile, 'standin', '--port', '0', '--json', ...args], {
    cwd,
    env: testEnvironment({ TMPDIR: temporaryFolder() }),
    extendEnv: false,
    reject: false,
  });
  const stop = () => {
    child.kill('SIGTERM');
    return child;
  };
  onTestFinished(async () => void (await stop()));
  const [printed] = (await once(child.stdout, 'data')) as [Buffer];
  return { stop, result: JSON.parse(String(printed)).result };
}

describe('the stand-in', () => {
  it('writes nothing into a repository where no store is named, and nothing stays when it stops', async () => {
    const w = await releaseWorkspace();

    const { stop, result } = await running(w.folder);
    const token = readFileSync(result.tokens[0]?.replace('file:', '') ?? '', 'utf8').trim();
    const sent = await fetch(`${result.url}files/a.txt`, {
      method: 'PUT',
      body: 'tide',
      headers: { authorization: `Bearer ${token}` },
    });
    await stop();

    expect(sent.status).toBe(201);
    expect(w.git('status', '--porcelain', '--ignored')).toBe('');
    expect(existsSync(result.store)).toBe(false);
  });

  it('keeps its token out of the working tree', async () => {
    const w = await releaseWorkspace();

    const { result } = await running(w.folder, '--store', 'office');

    const file = result.tokens[0]?.replace('file:', '') ?? '';
    expect(statSync(file).mode & 0o777).toBe(0o600);
    expect(path.relative(path.join(w.folder, '.git'), file).startsWith('..')).toBe(false);
    expect(w.git('status', '--porcelain', '--untracked-files=all')).not.toContain('token');
  });

  it('keeps its token in a store outside of a working tree, for the next time', async () => {
    const top = temporaryFolder();

    const first = await running(top, '--store', 'office');
    const second = await running(top, '--store', 'office');

    expect(first.result.tokens).toEqual([`file:${path.join(top, 'office/token')}`]);
    expect(second.result.tokens).toEqual(first.result.tokens);
  });

  it('removes what was coming in when it was killed, and nothing else', async () => {
    const store = path.join(temporaryFolder(), 'store');
    mkdirSync(path.join(store, 'files'), { recursive: true });
    writeFileSync(path.join(store, 'files/0123456789abcdef01.incoming'), 'half');
    writeFileSync(path.join(store, 'files/notes.incoming'), 'mine');

    await testStandin({ store });

    expect(readdirSync(path.join(store, 'files'))).toEqual(['notes.incoming']);
  });

  it('closes a connection that says nothing, or half of a request, and serves others meanwhile', async () => {
    const standin = await testStandin({ tokens: [tokenFor('tide-office-token-7Qx2LmVb9')] });
    const port = Number(new URL(standin.url).port);
    const sockets = ['', 'GET / HTTP/1.1\r\nhost: x\r\nx-half'].map((text) => {
      const socket = connect(port, '127.0.0.1');
      socket.on('error', () => {});
      if (text !== '') socket.write(text);
      return socket;
    });

    const answer = await fetch(`${standin.url}pages/`);
    await Promise.all(sockets.map((socket) => once(socket.resume(), 'close')));

    expect(answer.status).toBe(200);
  });
});
