import { existsSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { execa } from 'execa';
import { describe, expect, it } from 'vitest';
import { standinAddress } from '../../src/flow/trial/standin.ts';
import { temporaryInside } from '../builders/disk-fault.ts';
import { extent } from '../builders/extent.ts';
import { testStandin } from '../builders/parcel.ts';
import { bevelstoneJson } from '../builders/program.ts';
import { faultyProgram, releaseWorkspace, uploads, visibleState } from '../builders/release-workspace.ts';
import { temporaryFolder, testEnvironment } from '../builders/repository.ts';
import { appears } from '../builders/wait.ts';
import { goodToken, tokenFor } from '../builders/workspace.ts';

type Delivery = { destination: string; artifact: string; state: string; confirmed: string };
type Released = {
  package: string;
  version: string;
  tag: string;
  commit: string;
  source: string;
  deliveries: Delivery[];
};

const statesOf = (releases: readonly Released[]) =>
  Object.fromEntries(
    releases.flatMap(({ deliveries }) =>
      deliveries.map((delivery) => [`${delivery.artifact} ${delivery.destination}`, delivery.state]),
    ),
  );

const allThree = ['office', 'upstairs', 'shelf'] as const;

describe('a release', () => {
  it('of a brand-new package goes the whole way: one commit, one tag, one push, deliveries, ledger', async () => {
    const w = await releaseWorkspace({ destinations: allThree });
    const before = w.git('rev-parse', 'HEAD');

    const run = await w.release();

    expect(run.error).toBeNull();
    const [released] = run.result.releases as Released[];
    expect(released).toMatchObject({ version: '0.1.0', tag: 'v0.1.0', source: before });
    expect(Object.values(statesOf(run.result.releases)).every((state) => state === 'delivered')).toBe(true);
    expect(w.git('rev-parse', 'HEAD')).toBe(released?.commit);
    expect(w.git('rev-parse', 'HEAD^')).toBe(before);
    expect(w.git('diff', '--name-only', 'HEAD^').split('\n')).toEqual([
      'soundings/CHANGELOG.md',
      'soundings/package.json',
    ]);
    expect(w.git('ls-remote', 'origin', 'refs/heads/main')).toContain(released?.commit);
    expect(w.git('cat-file', 'tag', 'v0.1.0')).toMatch(
      /\n\nBevelstone-Run: [0-9a-f]{32}\nBevelstone-Plan: [0-9a-f]{64}$/,
    );
    expect(w.git('status', '--porcelain')).toBe('');
    expect(existsSync(path.join(w.folder, 'bevelstone-out/soundings-0.1.0/soundings-0.1.0.tgz'))).toBe(true);
    const again = await w.release();
    expect([again.exitCode, again.error?.code]).toEqual([4, 'NOTHING_TO_RELEASE']);
  });

  it('with the tag alone carrying the version leaves the branch where it is', async () => {
    const w = await releaseWorkspace({ more: 'write-back: { commit: false }\n' });
    const before = w.git('rev-parse', 'HEAD');

    const run = await w.release();

    expect(run.error).toBeNull();
    expect(run.result.releases[0]).toMatchObject({ commit: before, source: before });
    expect(w.git('rev-parse', 'v0.1.0^{}')).toBe(before);
    expect(w.git('rev-parse', 'HEAD')).toBe(before);
  });

  it('dry leaves nothing behind, neither here nor anywhere', async () => {
    const w = await releaseWorkspace();
    const refs = w.git('for-each-ref');

    const run = await w.release(['--dry-run']);

    expect([run.exitCode, run.result.releases[0].deliveries[0].state]).toEqual([0, 'pending']);
    expect(w.git('for-each-ref')).toBe(refs);
    expect(w.git('ls-remote', 'origin')).not.toContain('v0.1.0');
    expect(existsSync(path.join(w.folder, 'bevelstone-out'))).toBe(false);
    expect(w.standin.faults.asked.filter((line) => !/^(GET|HEAD|PROPFIND)/.test(line))).toEqual([]);
  });

  it('takes what belongs together, and leaves out what has nothing to release', async () => {
    const w = await releaseWorkspace({ packages: ['soundings', 'buoys', 'charts'] });
    await w.release();
    w.commit('fix: the lock gate', { 'soundings/depth.js': 'export const depth = 4.3;\n' });
    w.commit('feat: buoys with lights', { 'buoys/depth.js': 'export const depth = 2;\n' });

    const run = await w.release();

    expect((run.result.releases as Released[]).map((release) => [release.package, release.version])).toEqual([
      ['buoys', '0.1.1'],
      ['soundings', '0.1.1'],
    ]);
    expect(w.git('tag', '--list', 'charts/*')).toBe('charts/0.1.0');
  });

  it('turns a prerelease series into the stable version, and moves the pointer of each stream', async () => {
    const w = await releaseWorkspace({
      more: 'streams: { stable: { from: main }, early: { from: early, identifier: early } }\n',
    });
    await w.release();
    w.git('checkout', '--quiet', '-b', 'early');
    w.commit('feat: depths at night', { 'soundings/night.js': 'export const night = 1;\n' });
    w.git('push', '--quiet', 'origin', 'early');
    const first = await w.release();
    w.commit('fix: depths at dusk', { 'soundings/night.js': 'export const night = 2;\n' });
    const second = await w.release();
    w.git('checkout', '--quiet', 'main');
    w.git('merge', '--quiet', 'early');
    const stable = await w.release();

    const versions = [first, second, stable].map((item) => [item.error?.why ?? null, item.result?.releases[0].version]);
    expect(versions).toEqual([
      [null, '0.1.1-early.1'],
      [null, '0.1.1-early.2'],
      [null, '0.1.1'],
    ]);
    const answer = await fetch(`${w.env['OFFICE']}soundings`);
    expect(((await answer.json()) as { 'dist-tags': unknown })['dist-tags']).toEqual({
      latest: '0.1.1',
      early: '0.1.1-early.2',
    });
  });

  it('maintains an old line beside a newer major without becoming the latest', async () => {
    const w = await releaseWorkspace({
      more: 'streams: { stable: { from: main }, maintained: { from: "line/*", only: "{1}" } }\n',
    });
    await w.release(['--exactly', '1.0.0', '--because', 'the first line']);
    w.git('branch', 'line/1.x');
    w.commit('feat!: depths in decimetres', { 'soundings/depth.js': 'export const depth = 42;\n' });
    const major = await w.release();
    w.git('checkout', '--quiet', 'line/1.x');
    w.commit('fix: the sill', { 'soundings/sill.js': 'export const sill = 1;\n' });
    w.git('push', '--quiet', '--set-upstream', 'origin', 'line/1.x');

    const patch = await w.release();

    expect(patch.error).toBeNull();
    expect([major, patch].map((item) => item.result.releases[0].version)).toEqual(['2.0.0', '1.0.1']);
    const answer = await fetch(`${w.env['OFFICE']}soundings`);
    const tags = ((await answer.json()) as { 'dist-tags': Record<string, string> })['dist-tags'];
    expect(tags['latest']).toBe('2.0.0');
    expect(Object.values(tags)).toContain('1.0.1');
  });

  it('regenerates the files that are asked for into its commit', async () => {
    const make =
      'write-back: { make: [{ run: "echo install soundings@$BEVELSTONE_VERSION_SOUNDINGS > soundings/README.md; date > noise.txt", files: ["*/README.md"] }] }\n';
    const w = await releaseWorkspace({ more: make });

    await w.release();

    expect(w.git('show', 'HEAD:soundings/README.md')).toBe('install soundings@0.1.0');
    expect(w.git('ls-tree', '--name-only', 'HEAD')).not.toContain('noise.txt');
  });
});

describe('packages that need each other', () => {
  it('are released together, or not at all', async () => {
    const w = await releaseWorkspace({ packages: ['soundings', 'buoys'] });
    const file = path.join(w.folder, 'buoys/package.json');
    const manifest = { ...JSON.parse(readFileSync(file, 'utf8')), dependencies: { soundings: '^0.1.0' } };
    w.commit('feat: buoys know their depth', { 'buoys/package.json': `${JSON.stringify(manifest, null, 2)}\n` });
    w.git('push', '--quiet');

    const alone = await w.release(['-p', 'buoys']);
    const both = await w.release(['-p', 'buoys', '--with-needed']);

    expect([alone.exitCode, alone.error?.code]).toEqual([3, 'NEEDED_UNRELEASED']);
    expect(alone.error?.fix).toContain('-p soundings');
    expect((both.result.releases as Released[]).map((release) => release.package)).toEqual(['soundings', 'buoys']);
    const asked = w.standin.faults.answered.filter((line) => /^PUT \/node\/\w+ 2/.test(line));
    expect(asked.map((line) => line.split(' ')[1])).toEqual(['/node/soundings', '/node/buoys']);
  });

  it('do not stand in the way of one that needs none of them', async () => {
    const streams = 'streams: { stable: { from: main }, early: { from: early, identifier: early } }\n';
    const w = await releaseWorkspace({ packages: ['soundings', 'buoys'], more: streams });
    await w.release();
    w.git('checkout', '--quiet', '-b', 'early');
    w.commit('feat: at night', {
      'soundings/night.js': 'export const night = 1;\n',
      'buoys/night.js': 'export const night = 1;\n',
    });
    await w.release();
    w.git('checkout', '--quiet', 'main');
    w.commit('fix: the light', { 'buoys/depth.js': 'export const depth = 3;\n' });
    await w.release();
    w.git('checkout', '--quiet', 'early');
    w.commit('fix: at dusk', {
      'soundings/night.js': 'export const night = 2;\n',
      'buoys/night.js': 'export const night = 2;\n',
    });
    w.git('push', '--quiet', 'origin', 'early');

    // The early line of buoys lacks a release of the stable one.
    const all = await w.release(['--dry-run']);
    const own = await w.release(['-p', 'soundings']);

    expect(all.error?.code).toBe('STREAM_BEHIND');
    expect([own.error, own.result.releases[0].version]).toEqual([null, '0.1.1-early.2']);
  });

  it('and have no destination are tagged and recorded all the same', async () => {
    const w = await releaseWorkspace({ destinations: [] });

    const run = await w.release();

    expect([run.error, run.result.releases[0].deliveries]).toEqual([null, []]);
    expect(w.git('ls-remote', '--tags', 'origin')).toContain('v0.1.0');
  });
});

describe('a release that is interrupted', () => {
  it('while it works waits to be resumed, with exit code 6', async () => {
    const w = await releaseWorkspace({ more: 'gates: { run: ["sleep 600"] }\n' });
    const own = temporaryInside(w);
    const child = execa(process.execPath, [faultyProgram(), 'release', '--yes', '--json'], {
      cwd: w.folder,
      env: testEnvironment({ ...w.env, ...own }),
      extendEnv: false,
      reject: false,
    });
    await appears(own['TMPDIR'] ?? '', /^bevelstone-gate/);
    child.kill('SIGINT');

    const { exitCode, stdout } = await child;
    const { error } = JSON.parse(stdout) as { error: { code: string; resume: string } };

    expect([exitCode, error.code]).toEqual([6, 'CUT_SHORT']);
    expect(error.resume).toMatch(/^\d{8}-\d{6}-[0-9a-f]{8}$/);
    expect(w.git('worktree', 'list').split('\n')).toHaveLength(1);
    const abandoned = await w.release(['--abandon']);
    expect([abandoned.exitCode, abandoned.result.run]).toEqual([0, error.resume]);
  });

  it('or not agreed to leaves nothing', async () => {
    const w = await releaseWorkspace();

    const run = await bevelstoneJson(['release'], { cwd: w.folder, env: w.env, program: faultyProgram() });

    expect([run.exitCode, run.error?.code]).toEqual([2, 'CONFIRMATION_NEEDED']);
    expect(run.stderr).toContain('Release card');
    expect(w.git('for-each-ref', 'refs/bevelstone', 'refs/tags')).toBe('');
    expect(readdirSync(path.join(w.folder, '.git/bevelstone/runs'))).toEqual([]);
  });

  it('by a journal that cannot be written does nothing that is not written down', async () => {
    const w = await releaseWorkspace();
    await w.release([], { BEVELSTONE_FAULT: 'agreed::after-done' }).catch(() => null);
    const [id = ''] = readdirSync(path.join(w.folder, '.git/bevelstone/runs')).filter((name) => name !== 'lock');
    const journal = path.join(w.folder, '.git/bevelstone/runs', id, 'journal.jsonl');
    // A limit on the size of files is what a full disk looks like from inside.
    const blocks = Math.floor(statSync(journal).size / 512) + 3;
    const line = `ulimit -f ${blocks}; exec "${process.execPath}" "${faultyProgram()}" release --resume --yes --json`;

    const { exitCode } = await execa('bash', ['-c', line], {
      cwd: w.folder,
      env: testEnvironment(w.env),
      extendEnv: false,
      reject: false,
    });
    const resumed = await w.release(['--resume']);

    expect(exitCode).not.toBe(0);
    expect(resumed.error).toBeNull();
    expect(uploads(w)).toEqual([1]);
  });
});

describe('gates', () => {
  it('are reported all at once, with a fix each, and leave nothing behind', async () => {
    const w = await releaseWorkspace({ more: 'gates: { run: ["echo the tests speak; exit 3"] }\n' });
    const other = w.clone('elsewhere');
    other.commit('fix: elsewhere', { 'soundings/depth.js': 'export const depth = 9;\n' });
    other.git('push', '--quiet');
    writeFileSync(path.join(w.folder, 'half-done.txt'), 'x');
    const nobody = { GIT_AUTHOR_NAME: '', GIT_AUTHOR_EMAIL: '', GIT_COMMITTER_NAME: '', GIT_COMMITTER_EMAIL: '' };

    const run = await w.release([], { ...nobody, OFFICE_TOKEN: 'a-wrong-token-000' });

    expect([run.exitCode, run.error?.code]).toEqual([3, 'GATES_REFUSED']);
    const told = (run.error?.problems ?? []).map(({ message }) => message.split(':')[0]);
    expect(told).toEqual(['clean tree', 'in step', 'committer', 'destinations', 'echo the tests speak; exit 3']);
    expect(run.error?.problems.every(({ fix }) => fix.length > 0)).toBe(true);
    expect(run.error?.why).toContain('half-done.txt');
    expect(run.error?.why).toContain('the tests speak');
    expect(w.git('for-each-ref', 'refs/bevelstone/run')).toBe('');
    rmSync(path.join(w.folder, 'half-done.txt'));
    w.git('pull', '--quiet', '--rebase');
    expect((await w.release(['--dry-run'])).error?.why).toContain('the tests speak');
  });

  it.each([
    [
      'a detached head',
      (git: (...args: string[]) => string) => git('checkout', '--quiet', '--detach'),
      'branch',
      'HEAD is detached',
    ],
    [
      'a tag that is taken',
      (git: (...args: string[]) => string) => git('push', '--quiet', 'origin', 'HEAD:refs/tags/v0.1.0'),
      'tags free',
      'v0.1.0',
    ],
    [
      'no remote',
      (git: (...args: string[]) => string) => git('remote', 'remove', 'origin'),
      'remote',
      'there is no remote',
    ],
  ])('refuse %s', async (_, spoil, gate, why) => {
    const w = await releaseWorkspace();
    spoil(w.git);

    const run = await w.release();

    expect([run.exitCode, run.error?.code]).toEqual([3, 'GATES_REFUSED']);
    expect(`${run.error?.message} ${run.error?.why}`).toContain(gate);
    expect(run.error?.why).toContain(why);
  });

  it('tell how a remote that takes no push to the branch can be released to', async () => {
    const w = await releaseWorkspace();
    const hook = path.join(w.top, 'remote.git/hooks/pre-receive');
    writeFileSync(
      hook,
      '#!/bin/sh\nwhile read old new ref; do case $ref in refs/heads/*) echo "$ref is protected" >&2; exit 1;; esac; done\n',
      { mode: 0o755 },
    );

    const run = await w.release();

    expect([run.exitCode, run.error?.code]).toEqual([5, 'REMOTE_REFUSED']);
    expect(run.error?.fix).toContain('write-back.commit: false');
    expect(w.git('tag', '--list')).toBe('');
    expect(uploads(w)).toEqual([]);
  });
});

describe('a run that was not finished', () => {
  const down = { type: 'status', status: 500, method: 'PUT', path: /files/, times: 1000 } as const;

  it('delivers to the other destinations when one is down, reports it, and is finished later', async () => {
    const w = await releaseWorkspace({ destinations: allThree, faults: [down] });

    const run = await w.release();
    const second = await w.release();
    w.standin.faults.clear();
    const resumed = await w.release(['--resume']);

    expect([run.exitCode, run.error?.code]).toEqual([5, 'DELIVERY_FAILED']);
    expect(statesOf(run.result.releases)).toMatchObject({
      'soundings-0.1.0.tgz office': 'delivered',
      'soundings-0.1.0.tgz upstairs': 'failed',
    });
    expect([second.exitCode, second.error?.code]).toEqual([3, 'RUN_OPEN']);
    expect(resumed.error).toBeNull();
    expect(statesOf(resumed.result.releases)).toMatchObject({
      'soundings-0.1.0.tgz office': 'already-there',
      'soundings-0.1.0.tgz upstairs': 'delivered',
    });
    expect((run.error as { resume?: string } | null)?.resume).toBe(resumed.result.run);
  });

  it('is finished from a fresh clone on another machine, with the bytes that others hold', async () => {
    const w = await releaseWorkspace({ destinations: allThree, faults: [down] });
    await w.release();
    w.standin.faults.clear();

    const other = w.clone('another-machine');
    const resumed = await other.release(['--resume']);

    expect(resumed.error).toBeNull();
    expect(statesOf(resumed.result.releases)).toMatchObject({
      'soundings-0.1.0.tgz office': 'already-there',
      'soundings-0.1.0.tgz upstairs': 'delivered',
    });
    expect(uploads(w)).toEqual([1, 1]);
  });

  it('whose machine is lost right after the push is built again elsewhere, to the same bytes', async () => {
    const w = await releaseWorkspace({ destinations: allThree });
    await w.release([], { BEVELSTONE_FAULT: 'push::after-done' }).catch(() => null);
    rmSync(w.folder, { recursive: true });

    const other = w.clone('another-machine');
    const resumed = await other.release(['--resume']);

    expect(resumed.error).toBeNull();
    expect(Object.values(statesOf(resumed.result.releases)).every((state) => state === 'delivered')).toBe(true);
    expect(uploads(w).every((count) => count === 1)).toBe(true);
  });

  it('is given up without a trace before its push', async () => {
    const w = await releaseWorkspace();
    await w.release([], { BEVELSTONE_FAULT: 'tagged:*:after-done' }).catch(() => null);

    const run = await w.release(['--abandon']);

    expect(run.error).toBeNull();
    expect([w.git('tag', '--list'), w.git('for-each-ref', 'refs/bevelstone')]).toEqual(['', '']);
    expect((await w.release()).error).toBeNull();
  });

  it('is abandoned after its push, with its tags deleted while nothing is delivered', async () => {
    const w = await releaseWorkspace();
    await w.release([], { BEVELSTONE_FAULT: 'push::after-done' }).catch(() => null);

    await w.release(['--abandon']);

    expect(w.git('ls-remote', '--tags', 'origin')).toBe('');
    expect(visibleState(w)).toMatchObject({ events: expect.arrayContaining([expect.stringContaining('"abandoned"')]) });
  });

  it('keeps what is delivered when it is given up', async () => {
    const w = await releaseWorkspace({ destinations: allThree, faults: [down] });
    await w.release();

    const run = await w.release(['--abandon']);

    expect(run.exitCode).toBe(0);
    expect(w.git('ls-remote', '--tags', 'origin')).toContain('v0.1.0');
    expect((await w.release(['--resume'])).error?.code).toBe('RUN_NOT_FOUND');
  });

  it('of an existing tag is never reported as without a trace, and the tag stays', async () => {
    const w = await releaseWorkspace({ destinations: allThree, faults: [down] });
    w.git('tag', '-a', '-m', 'by hand', 'v0.2.0');
    w.git('push', '--quiet', 'origin', 'v0.2.0');
    await w.release(['--tagged', 'v0.2.0']);

    const run = await w.release(['--abandon']);

    expect(run.result.advice.join()).toContain('is delivered, and stays');
    expect(w.git('ls-remote', '--tags', 'origin')).toContain('v0.2.0');
    expect(visibleState(w)).toMatchObject({ events: expect.arrayContaining([expect.stringContaining('"abandoned"')]) });
  });

  it('is not finished by a dry run', async () => {
    const w = await releaseWorkspace();
    await w.release([], { BEVELSTONE_FAULT: 'push::after-done' }).catch(() => null);

    const run = await w.release(['--resume', '--dry-run']);

    expect([run.exitCode, run.error?.code]).toEqual([2, 'USAGE']);
    expect(uploads(w)).toEqual([]);
  });

  it('and was half laid out on another machine is laid out again', async () => {
    const w = await releaseWorkspace({ destinations: allThree });
    await w.release([], { BEVELSTONE_FAULT: 'push::after-done' }).catch(() => null);
    const other = w.clone('another-machine');
    await other.release(['--resume'], { BEVELSTONE_FAULT: 'built::before' }).catch(() => null);
    const half = path.join(other.folder, '.git/bevelstone/runs');
    const opened = readdirSync(half).filter((name) => name !== 'lock');

    const resumed = await other.release(['--resume']);

    expect(opened).toHaveLength(1);
    expect(resumed.error).toBeNull();
    expect(uploads(w).every((count) => count === 1)).toBe(true);
  });

  it('is distinguished from one with a tampered journal', async () => {
    const w = await releaseWorkspace();
    await w.release([], { BEVELSTONE_FAULT: 'agreed::after-done' }).catch(() => null);
    const runs = path.join(w.folder, '.git/bevelstone/runs');
    const [id = ''] = w.git('for-each-ref', '--format=%(refname:lstrip=3)', 'refs/bevelstone/run').split('\n');
    const journal = path.join(runs, id, 'journal.jsonl');
    writeFileSync(journal, readFileSync(journal, 'utf8').replace('"0.1.0"', '"9.9.9"'));

    const run = await w.release(['--resume']);

    const given = await w.release(['--abandon', id]);

    expect([run.exitCode, run.error?.code]).toEqual([3, 'JOURNAL_DAMAGED']);
    expect(given.exitCode).toBe(0);
    expect((await w.release()).error).toBeNull();
  });
});

describe('two at once', () => {
  it('is refused on one machine', async () => {
    const meeting = temporaryFolder();
    const gate = `touch ${meeting}/begun; until test -e ${meeting}/go; do sleep 0.1; done`;
    const w = await releaseWorkspace({ more: `gates: { run: ["${gate}"] }\n` });

    const first = w.release();
    await appears(path.join(meeting, 'begun'));
    const other = await w.release();
    writeFileSync(path.join(meeting, 'go'), '');
    const item = await first;

    expect(item.error).toBeNull();
    expect([other.exitCode, other.error?.code]).toEqual([3, 'RUN_BUSY']);
  });

  it('from two clones: exactly one wins, time after time', async () => {
    const w = await releaseWorkspace();
    const clones = [w.clone('harbour'), w.clone('lighthouse')];
    const ends: string[] = [];
    const rounds = extent(2, 20);
    for (let round = 1; round <= rounds; round++) {
      const [first] = clones;
      first?.commit(`fix: sounding ${round}`, { 'soundings/depth.js': `export const depth = ${round};\n` });
      first?.git('push', '--quiet');
      clones[1]?.git('pull', '--quiet');

      const runs = await Promise.all(clones.map((clone) => clone.release()));

      const won = runs.filter(({ error }) => error === null);
      expect(won, `round ${round}: ${runs.map(({ error }) => error?.why).join(' / ')}`).toHaveLength(1);
      const lost = runs.find(({ error }) => error !== null);
      expect(`${lost?.exitCode} ${lost?.error?.why}`).toMatch(/^3 /);
      ends.push(lost?.error?.code ?? '');
      for (const clone of clones) {
        expect(clone.git('for-each-ref', 'refs/bevelstone/run')).toBe('');
        clone.git('pull', '--quiet', '--tags');
      }
    }
    expect(new Set(uploads(w))).toEqual(new Set([rounds]));
    expect(ends.every((code) => ['TAG_ELSEWHERE', 'RUN_STALE', 'GATES_REFUSED'].includes(code))).toBe(true);
  });

  it('reports a rival whose files arrived before our card as quicker, not as different bytes', async () => {
    const quick =
      'cd $TOP/lighthouse && env -u BEVELSTONE_TEST_RIVAL OFFICE_TOKEN=$BEVELSTONE_TEST_RIVAL BEVELSTONE_NOW=2026-11-05T08:00:00Z $NODE $PROGRAM release --yes -q >/dev/null 2>&1';
    const make = `write-back: { make: [{ run: 'if [ -n "$BEVELSTONE_TEST_RIVAL" ]; then ${quick}; fi', files: [none] }] }\n`;
    const w = await releaseWorkspace({ more: make });
    w.clone('lighthouse');

    const run = await w.release([], {
      TOP: w.top,
      NODE: process.execPath,
      PROGRAM: faultyProgram(),
      BEVELSTONE_TEST_RIVAL: w.env['OFFICE_TOKEN'] ?? '',
    });

    expect([run.exitCode, run.error?.code]).toEqual([3, 'TAG_ELSEWHERE']);
    expect(uploads(w)).toEqual([1]);
    expect(w.git('tag', '--list')).toBe('');
  });

  it('a commit that comes to the branch meanwhile makes the release stale, and nothing of it is public', async () => {
    const push = 'cd $TOP/elsewhere && git commit -q --allow-empty -m meanwhile && git push -q';
    const w = await releaseWorkspace({ more: `write-back: { make: [{ run: "${push}", files: [none] }] }\n` });
    w.clone('elsewhere');

    const run = await w.release([], { TOP: w.top });

    expect([run.exitCode, run.error?.code]).toEqual([3, 'RUN_STALE']);
    expect(w.git('ls-remote', '--tags', 'origin')).toBe('');
    expect(w.git('tag', '--list')).toBe('');
    expect(uploads(w)).toEqual([]);
  });
});

describe('afterwards', () => {
  it('reports what may already have run, and repeats it only on request', async () => {
    const w = await releaseWorkspace({ more: `afterwards: ["cat >> $TOP/board.txt; exit $CODE"]\n` });
    const env = { TOP: w.top, CODE: '4' };

    const failed = await w.release([], env);
    const waiting = await w.release(['--resume'], { ...env, CODE: '0' });
    const again = await w.release(['--resume', '--again'], { ...env, CODE: '0' });

    expect([failed.exitCode, failed.error?.code]).toEqual([7, 'AFTERWARDS_FAILED']);
    expect(waiting.error?.code).toBe('AFTERWARDS_FAILED');
    expect(again.error).toBeNull();
    expect(readFileSync(path.join(w.top, 'board.txt'), 'utf8').match(/"schema": "bevelstone\/1"/g)).toHaveLength(2);
    expect(uploads(w)).toEqual([1]);
  });

  it.each(['here', 'in another clone'])(
    'get the changes and issues of a release that is finished %s',
    async (where) => {
      const w = await releaseWorkspace({ more: `afterwards: ["cat > $TOP/board.json"]\n` });
      w.commit('fix: low water\n\nFixes: #12', { 'soundings/depth.js': 'export const depth = 3;\n' });
      w.commit('chore: tidy', { 'soundings/depth.js': 'export const depth = 3; // m\n' });
      w.git('push', '--quiet');
      const env = { TOP: w.top };
      const fault = where === 'here' ? {} : { BEVELSTONE_FAULT: 'push::after-done' };
      await w.release([], { ...env, ...fault }).catch(() => null);
      if (where !== 'here') expect((await w.clone('other').release(['--resume'], env)).error).toBeNull();

      const { changes } = JSON.parse(readFileSync(path.join(w.top, 'board.json'), 'utf8'));
      expect(changes.filter(({ weight }: { weight: string }) => weight !== 'none')).toMatchObject([
        { kind: 'fix', summary: 'low water', issues: ['12'], authors: [expect.any(String)] },
        { kind: 'feat' },
      ]);
    },
  );

  it('leaves its output in a log, as a build step does', async () => {
    const w = await releaseWorkspace({ more: `afterwards: ["echo the board is wet; exit 9"]\n` });

    const { error } = await w.release([]);

    const log = path.join(w.folder, '.git/bevelstone/logs');
    expect(error?.why).toContain('the board is wet');
    expect(readdirSync(log).filter((name) => name.includes('-afterwards-1'))).toHaveLength(1);
  });
});

describe('a release whose destination was wrong', () => {
  const refusing = { type: 'status', status: 404, method: 'PUT', path: /\/node\//, times: 100 } as const;

  /** A release that was pushed and could not be delivered, and a second stand-in that it should have gone to. */
  async function undelivered(more: Parameters<typeof releaseWorkspace>[0] = {}) {
    const w = await releaseWorkspace({ faults: [refusing], ...more });
    const first = await w.release();
    expect(first.error?.code).toBe('DELIVERY_FAILED');
    const right = await testStandin({ tokens: [tokenFor(goodToken)] });
    const url = standinAddress(right, 'npm-registry');
    const config = path.join(w.folder, 'bevelstone.yaml');
    const change = (edit: (text: string) => string) => writeFileSync(config, edit(readFileSync(config, 'utf8')));
    const trust = `${w.env['BEVELSTONE_TRUST']},${new URL(url).origin}`;
    return { w, url, right, change, env: { BEVELSTONE_TRUST: trust } };
  }

  it('goes to the destination of the working tree, which the ledger records', async () => {
    const { w, url, change, env } = await undelivered();
    change((text) => text.replace('"env:OFFICE"', JSON.stringify(url)));

    const resumed = await w.release(['--resume'], env);

    expect(resumed.error).toBeNull();
    expect(resumed.result.releases[0].deliveries[0]).toMatchObject({ destination: 'office', state: 'delivered' });
    expect(resumed.stderr).not.toContain('is not committed');
    expect((await fetch(`${url}soundings`)).status).toBe(200);
    const shown = await bevelstoneJson(['ledger', 'show', 'soundings@0.1.0'], { cwd: w.folder, env: w.env });
    expect(shown.result.redirects).toEqual([expect.objectContaining({ destination: 'office', to: url })]);
  });

  it('is not resumed where more than destinations changed', async () => {
    const { w, url, change, env } = await undelivered();
    change((text) => `${text.replace('"env:OFFICE"', JSON.stringify(url))}gates: { clean: false }\n`);

    const resumed = await w.release(['--resume'], env);

    expect([resumed.exitCode, resumed.error?.code]).toEqual([3, 'CONFIG_MOVED']);
    expect(resumed.error?.message).toContain('in more than destinations: gates');
    expect((await fetch(`${url}soundings`)).status).toBe(404);
  });

  it('asks first', async () => {
    const { w, url, change, env } = await undelivered();
    change((text) => text.replace('"env:OFFICE"', JSON.stringify(url)));

    const run = await bevelstoneJson(['release', '--resume'], { cwd: w.folder, env: { ...w.env, ...env } });

    expect([run.exitCode, run.error?.code]).toEqual([2, 'CONFIRMATION_NEEDED']);
    expect(run.stderr).toContain(`-> ${url}`);
    expect((await fetch(`${url}soundings`)).status).toBe(404);
  });

  it('says that nothing was delivered when it is given up, and takes its tags back', async () => {
    const { w } = await undelivered();

    const run = await w.release(['--abandon']);

    expect(run.result.advice).toEqual(expect.arrayContaining(['nothing was delivered']));
    expect(w.git('ls-remote', '--tags', 'origin')).toBe('');
  });

  it('keeps its tags when nothing tells whether something was delivered', async () => {
    const { w, right } = await undelivered();
    await w.standin.close();
    await right.close();

    const run = await w.release(['--abandon']);

    expect(run.result.advice.join('\n')).toMatch(/whether soundings 0\.1\.0 arrived at office is not known/);
    expect(w.git('ls-remote', '--tags', 'origin')).toContain('v0.1.0');
  });
});

it('warns of artifacts that no destination takes, unless they are only built', async () => {
  const archive = (more: string) => `{ form: tar.gz, files: [{ from: depth.js }]${more} }`;
  const w = await releaseWorkspace();
  const config = path.join(w.folder, 'bevelstone.yaml');
  const before = readFileSync(config, 'utf8');
  const withArchive = (more: string) => ({
    'bevelstone.yaml': before.replace('{ form: npm-tarball }', `{ form: npm-tarball }, ${archive(more)}`),
  });
  w.commit('chore: an archive', withArchive(''));
  const first = await w.release(['--dry-run']);
  w.commit('chore: only built', withArchive(', deliver: false'));
  const second = await w.release(['--dry-run']);

  expect([first.error, second.error]).toEqual([null, null]);
  const unsent = (run: typeof first) => run.warnings.filter((text) => text.includes('no destination takes'));
  expect(unsent(first)).toEqual([expect.stringContaining('no destination takes the form tar.gz')]);
  expect(unsent(second)).toEqual([]);
});
