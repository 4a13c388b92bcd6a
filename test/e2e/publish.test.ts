import { execFileSync, spawn } from 'node:child_process';
import { once } from 'node:events';
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import path from 'node:path';
import { describe, expect, it, onTestFinished } from 'vitest';
import { bevelstone, bevelstoneJson, programFile } from '../builders/program.ts';
import { temporaryFolder, testEnvironment } from '../builders/repository.ts';
import { demoWorkspace, goodToken, nodePackages, type TestWorkspace } from '../builders/workspace.ts';

const tags = (w: TestWorkspace) =>
  w
    .git('ls-remote', '--tags', 'origin')
    .split('\n')
    .filter((line) => /1\.4\.0|0\.2\.1/.test(line));

async function built(): Promise<TestWorkspace> {
  const workspace = await demoWorkspace();
  await bevelstone(['build', ...nodePackages], { cwd: workspace.folder });
  return workspace;
}

describe('publish', () => {
  it('tags, delivers, confirms and records; run again it finds everything there and changes nothing', async () => {
    const w = await built();
    const run = () =>
      bevelstoneJson(['publish', ...nodePackages, '--push-tag', '--yes'], { cwd: w.folder, env: w.env });

    const first = await run();
    const ledger = w.git('rev-parse', 'refs/bevelstone/ledger');
    const second = await run();

    const states = (releases: { deliveries: { state: string; confirmed: string }[] }[]) =>
      releases.flatMap(({ deliveries }) => deliveries.map(({ state, confirmed }) => `${state} ${confirmed}`));
    expect(first.exitCode).toBe(0);
    expect(states(first.result.releases)).toEqual(Array(4).fill('delivered bytes'));
    expect(second.exitCode).toBe(0);
    expect(states(second.result.releases)).toEqual(Array(4).fill('already-there bytes'));
    expect(w.git('rev-parse', 'refs/bevelstone/ledger')).toBe(ledger);
    expect(w.git('ls-remote', 'origin', 'refs/bevelstone/ledger')).toContain(ledger);
    expect(w.git('cat-file', '-p', 'refs/tags/tidemark/1.4.0')).toMatch(/^Bevelstone-Run: [0-9a-f]{32}$/m);
    expect(tags(w)).toHaveLength(4);
  });

  it('tells a fresh clone of every release', async () => {
    const w = await built();
    await bevelstone(['publish', ...nodePackages, '--push-tag', '--yes'], { cwd: w.folder, env: w.env });
    const clone = path.join(temporaryFolder(), 'clone');
    execFileSync('git', ['clone', '--quiet', path.join(w.top, 'fenmarsh-tides.git'), clone]);

    const { result } = await bevelstoneJson(['ledger', 'list'], { cwd: clone });

    expect(result.releases).toHaveLength(2);
    const tidemark = result.releases.find((release: { package: string }) => release.package === 'tidemark');
    tidemark.deliveries.sort((a: { destination: string }, b: { destination: string }) =>
      a.destination.localeCompare(b.destination),
    );
    expect(tidemark).toMatchObject({
      version: '1.4.0',
      commit: w.git('rev-parse', 'HEAD'),
      deliveries: [
        { destination: 'office', state: 'delivered', confirmed: 'bytes' },
        { destination: 'shelf', state: 'delivered', confirmed: 'bytes' },
        { destination: 'shelf', state: 'delivered', confirmed: 'bytes' },
      ],
    });
  });

  it.each([
    [
      'a wrong token',
      { TIDE_OFFICE_TOKEN: 'wrong-token-000' },
      'DELIVERY_FAILED',
      5,
      /answered 403: this token may not publish/,
    ],
    ['no token', { TIDE_OFFICE_TOKEN: '' }, 'CREDENTIAL_MISSING', 5, /TIDE_OFFICE_TOKEN is not set/],
    ['no address', { TIDE_OFFICE_URL: '' }, 'ENVIRONMENT_MISSING', 2, /TIDE_OFFICE_URL/],
    [
      'no server at the address',
      { TIDE_OFFICE_URL: 'http://127.0.0.1:9/node/', BEVELSTONE_TRUST: 'http://127.0.0.1:9' },
      'DESTINATION_UNREACHABLE',
      5,
      /nothing listens/,
    ],
  ])('with %s says so', async (_, env, code, exitCode, why) => {
    const w = await built();

    const run = await bevelstoneJson(['publish', ...nodePackages, '--push-tag', '--yes'], {
      cwd: w.folder,
      env: { ...w.env, ...env },
    });

    expect(run).toMatchObject({ exitCode, ok: false, error: { code } });
    expect(run.error?.why).toMatch(why);
  });

  it('finishes with the right token what a wrong one began', async () => {
    const w = await built();
    const wrong = await bevelstoneJson(['publish', ...nodePackages, '--push-tag', '--yes'], {
      cwd: w.folder,
      env: { ...w.env, TIDE_OFFICE_TOKEN: 'wrong-token-000' },
    });

    const right = await bevelstoneJson(['publish', ...nodePackages, '--push-tag', '--yes'], {
      cwd: w.folder,
      env: w.env,
    });

    const states = (run: typeof right) =>
      run.result.releases.flatMap(({ deliveries }: { deliveries: { destination: string; state: string }[] }) =>
        deliveries.map(({ destination, state }) => `${destination} ${state}`),
      );
    expect(states(wrong)).toEqual(['office failed', 'shelf delivered', 'shelf delivered', 'office pending']);
    expect(states(right)).toEqual([
      'office delivered',
      'shelf already-there',
      'shelf already-there',
      'office delivered',
    ]);
    expect(right.exitCode).toBe(0);
  });

  it.each([
    [['publish', ...nodePackages, '--yes'], 'TAG_NOT_PUSHED', 3],
    [['publish', ...nodePackages, '--push-tag'], 'CONFIRMATION_NEEDED', 2],
  ])('%j sends nothing', async (args, code, exitCode) => {
    const w = await built();

    const run = await bevelstoneJson(args, { cwd: w.folder, env: w.env });

    expect(run).toMatchObject({ exitCode, error: { code } });
    expect(tags(w)).toEqual([]);
    expect(readdirSync(w.top)).not.toContain('shelf');
  });

  it('shows everything in a dry run and leaves nothing behind', async () => {
    const w = await built();

    const run = await bevelstoneJson(['publish', ...nodePackages, '--push-tag', '--dry-run'], {
      cwd: w.folder,
      env: w.env,
    });

    expect(run.exitCode).toBe(0);
    expect(
      run.result.releases.flatMap(({ deliveries }: { deliveries: { state: string }[] }) =>
        deliveries.map(({ state }) => state),
      ),
    ).toEqual(Array(4).fill('pending'));
    expect(tags(w)).toEqual([]);
    expect(w.git('for-each-ref', 'refs/bevelstone')).toBe('');
  });

  it('refuses a version that is there with other bytes, before anything is pushed', async () => {
    const w = await built();
    await bevelstone(['publish', ...nodePackages, '--push-tag', '--yes'], { cwd: w.folder, env: w.env });
    w.git('push', '--quiet', 'origin', ':refs/tags/tidemark/1.4.0', ':refs/tags/gauges/0.2.1');
    w.git('tag', '-d', 'tidemark/1.4.0', 'gauges/0.2.1');
    w.edit('packages/tidemark/README.md', (text) => `${text}\nMore.\n`, 'docs: more');
    await bevelstone(['build', ...nodePackages], { cwd: w.folder });

    const run = await bevelstoneJson(['publish', ...nodePackages, '--push-tag', '--yes'], {
      cwd: w.folder,
      env: w.env,
    });

    expect(run).toMatchObject({ exitCode: 5, error: { code: 'DELIVERY_DIFFERS' } });
    expect(tags(w)).toEqual([]);
  });

  it('refuses a built file that was cut off, and one that a rule refuses', async () => {
    const w = await built();
    const file = path.join(w.folder, 'bevelstone-out/gauges-0.2.1/gauges-0.2.1.tgz');
    const whole = readFileSync(file);

    writeFileSync(file, whole.subarray(0, whole.length / 2));
    const cut = await bevelstoneJson(['publish', ...nodePackages, '--push-tag', '--yes'], {
      cwd: w.folder,
      env: w.env,
    });
    w.edit('packages/gauges/package.json', (text) => text.replace('"MIT"', '"Tide licence"'));
    await bevelstone(['build', ...nodePackages], { cwd: w.folder });
    const ruled = await bevelstoneJson(['publish', ...nodePackages, '--push-tag', '--yes'], {
      cwd: w.folder,
      env: w.env,
    });

    expect(cut).toMatchObject({ exitCode: 3, error: { code: 'ARCHIVE_DAMAGED' } });
    expect(ruled).toMatchObject({ exitCode: 3, error: { code: 'RULES_REFUSED' } });
    expect(ruled.error?.problems[0]?.message).toContain('metadata/licence-invalid');
    expect(tags(w)).toEqual([]);
  });

  it('refuses when the tag names another commit on the remote, and accepts a lightweight one with a note', async () => {
    const w = await built();
    w.git('push', '--quiet', 'origin', 'HEAD~3:refs/tags/tidemark/1.4.0');
    const elsewhere = await bevelstoneJson(['publish', ...nodePackages, '--push-tag', '--yes'], {
      cwd: w.folder,
      env: w.env,
    });
    w.git('push', '--quiet', '--force', 'origin', 'HEAD:refs/tags/tidemark/1.4.0');
    const lightweight = await bevelstoneJson(['publish', ...nodePackages, '--push-tag', '--yes'], {
      cwd: w.folder,
      env: w.env,
    });

    expect(elsewhere).toMatchObject({ exitCode: 3, error: { code: 'TAG_ELSEWHERE' } });
    expect(lightweight.exitCode).toBe(0);
    expect(lightweight.warnings).toContainEqual(expect.stringContaining('tidemark/1.4.0 is lightweight'));
  });

  it('lets exactly one of two clones win that release the same version at the same moment', async () => {
    const w = await built();
    const other = path.join(temporaryFolder(), 'other');
    execFileSync('git', ['clone', '--quiet', path.join(w.top, 'fenmarsh-tides.git'), other]);
    execFileSync('git', ['config', 'user.name', 'Archive room'], { cwd: other });
    execFileSync('git', ['config', 'user.email', 'archive@fenmarsh.example'], { cwd: other });
    await bevelstone(['build', ...nodePackages], { cwd: other });

    const runs = await Promise.all(
      [w.folder, other].map((cwd) =>
        bevelstoneJson(['publish', '--push-tag', '--yes', '-p', 'gauges'], { cwd, env: w.env }),
      ),
    );

    const tagged = w.git('ls-remote', '--tags', 'origin', 'refs/tags/gauges/0.2.1');
    const losers = runs.filter(({ exitCode }) => exitCode !== 0);
    const delivered = runs.filter(({ result }) => result?.releases[0].deliveries[0].state === 'delivered');
    expect(delivered).toHaveLength(1);
    expect(tagged.split('\n')).toHaveLength(1);
    for (const { error } of losers) expect(['TAG_ELSEWHERE', 'REMOTE_REFUSED']).toContain(error?.code);
    const { result } = await bevelstoneJson(['ledger', 'list'], { cwd: w.folder });
    expect(result.releases).toHaveLength(1);
  });

  it('pushes a lightweight tag of its own clone as it is', async () => {
    const w = await built();
    w.git('tag', 'gauges/0.2.1');

    const run = await bevelstoneJson(['publish', '--push-tag', '--yes', '-p', 'gauges'], {
      cwd: w.folder,
      env: w.env,
    });

    expect(run.exitCode).toBe(0);
    expect(run.warnings).toContainEqual(expect.stringContaining('gauges/0.2.1 is lightweight'));
    expect(w.git('ls-remote', 'origin', 'refs/tags/gauges/0.2.1').split('\t')[0]).toBe(w.git('rev-parse', 'HEAD'));
  });

  it('unites its ledger with what others wrote meanwhile', async () => {
    const w = await built();
    const other = path.join(temporaryFolder(), 'other');
    execFileSync('git', ['clone', '--quiet', path.join(w.top, 'fenmarsh-tides.git'), other]);
    execFileSync('git', ['config', 'user.name', 'Archive room'], { cwd: other });
    execFileSync('git', ['config', 'user.email', 'archive@fenmarsh.example'], { cwd: other });
    await bevelstone(['build', '-p', 'gauges'], { cwd: other });
    await bevelstone(['publish', '--push-tag', '--yes', '-p', 'gauges'], { cwd: other, env: w.env });

    const mine = await bevelstoneJson(['publish', '--push-tag', '--yes', '-p', 'tidemark'], {
      cwd: w.folder,
      env: w.env,
    });
    const { result } = await bevelstoneJson(['ledger', 'list'], { cwd: w.folder });

    expect(mine.exitCode).toBe(0);
    expect(result.releases.map((release: { package: string }) => release.package).sort()).toEqual([
      'gauges',
      'tidemark',
    ]);
  });

  it('stopped during an upload reports it, records what is done, and is finished by the same command', async () => {
    const w = await built();
    let hangs: () => void = () => {};
    const hanging = new Promise<void>((resolve) => {
      hangs = resolve;
    });
    const server = createServer((request, response) => {
      if (request.method === 'GET') response.writeHead(404).end('{"error":"not found"}');
      else hangs();
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    onTestFinished(() => {
      server.closeAllConnections();
      server.close();
    });
    const address = `http://127.0.0.1:${(server.address() as AddressInfo).port}/`;
    const child = spawn(process.execPath, [programFile, 'publish', '--push-tag', '--yes', '--json', ...nodePackages], {
      cwd: w.folder,
      env: testEnvironment({ ...w.env, TIDE_OFFICE_URL: address, BEVELSTONE_TRUST: address }),
      stdio: ['ignore', 'pipe', 'ignore'],
    });
    let printed = '';
    child.stdout.on('data', (chunk) => {
      printed += chunk;
    });

    await hanging;
    child.kill('SIGINT');
    const [exitCode] = await once(child, 'close');
    const finished = await bevelstoneJson(['publish', ...nodePackages, '--push-tag', '--yes'], {
      cwd: w.folder,
      env: w.env,
    });

    expect(exitCode).toBe(6);
    expect(JSON.parse(printed).error.code).toBe('CUT_SHORT');
    expect(finished.exitCode).toBe(0);
    expect(
      finished.result.releases.flatMap((release: { deliveries: { destination: string; state: string }[] }) =>
        release.deliveries.map(({ destination, state }) => `${destination} ${state}`),
      ),
    ).toEqual(['office delivered', 'shelf already-there', 'shelf already-there', 'office delivered']);
  });

  it('never shows or stores the token', async () => {
    const w = await built();
    const forms = [goodToken, encodeURIComponent(goodToken), Buffer.from(goodToken).toString('base64').slice(0, 30)];

    const runs = [
      await bevelstone(['publish', ...nodePackages, '--push-tag', '--yes', '--verbose'], {
        cwd: w.folder,
        env: { ...w.env, TIDE_OFFICE_URL: `${w.url}${goodToken}/` },
      }),
      await bevelstone(['publish', ...nodePackages, '--push-tag', '--yes', '--json'], { cwd: w.folder, env: w.env }),
    ];

    const objects = execFileSync('sh', ['-c', 'git cat-file --batch-all-objects --batch'], {
      cwd: w.folder,
      env: testEnvironment(),
    }).toString('latin1');
    const stored = execFileSync('sh', ['-c', `cat $(find . -type f) | cat`], { cwd: w.store }).toString('latin1');
    for (const form of forms) {
      for (const text of [...runs.map(({ stdout, stderr }) => stdout + stderr), objects, stored])
        expect(text).not.toContain(form);
    }
    expect(runs[0]?.stderr).toContain('[redacted]');
  });
});
