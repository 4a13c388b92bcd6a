import { execFileSync } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { bevelstone, bevelstoneJson, programFile } from '../builders/program.ts';
import { temporaryFolder, testEnvironment } from '../builders/repository.ts';
import { rustEnvironment, whyNoCargo, whyNoGo } from '../builders/rust-tools.ts';
import { hasTool } from '../builders/tools.ts';

const root = path.join(import.meta.dirname, '../..');

describe('the demo', () => {
  it("goes from history to a tide table in a new user's folder, and leaves what it lists", async () => {
    const top = temporaryFolder();

    // Far from where it was written: the commits are the same on every machine.
    const run = await bevelstoneJson(['demo', 'tides'], {
      cwd: top,
      env: { TZ: 'Pacific/Chatham', LC_ALL: 'C.UTF-8', ...rustEnvironment },
    });

    expect(run).toMatchObject({ schema: 'bevelstone/1', command: 'demo', ok: true, exitCode: 0, error: null });
    const { folder, releases, visit, fromGit } = run.result;
    expect(folder).toBe(path.join(top, 'tides/fenmarsh-tides'));
    const head = execFileSync('git', ['log', '--format=%h %s', '-n1', 'origin/main^'], {
      cwd: folder,
      env: testEnvironment(),
      encoding: 'utf8',
    });
    expect(head).toBe('fa4c6c4 feat(harmonics): speeds of constituents by their names\n');
    const delivered = releases.map(
      (release: { package: string; version: string }) => `${release.package} ${release.version}`,
    );
    expect(delivered.sort()).toEqual([
      ...(hasTool('cc') ? ['Fenmarsh.Tides 0.3.1'] : []),
      ...(whyNoGo() === null ? ['bells 0.1.1'] : []),
      'gauges 0.2.1',
      ...(hasTool('cc') ? ['harmonics 0.9.5'] : []),
      ...(whyNoCargo() === null ? ['tide-clock 0.1.1'] : []),
      'tidemark 1.4.0',
      ...(hasTool('javac') ? ['tidemark-jvm 1.4.0'] : []),
      'tidemark-py 1.3.1',
    ]);
    expect(fromGit.packages).toMatchObject([
      { package: 'gauges', git: { state: 'works' }, registry: { state: 'works' } },
      {
        package: 'tidemark-py',
        ...(hasTool('python3', '-c', 'import venv, ensurepip') ? { git: { state: 'works' } } : {}),
      },
    ]);
    expect(visit.type).toBe('installed');
    expect(visit.printed).toMatch(/Fenmarsh Bar\s+(?:high|low)/);
    const installed = path.join(visit.folder, 'node_modules');
    expect(JSON.parse(readFileSync(path.join(installed, 'tidemark/package.json'), 'utf8')).version).toBe('1.4.0');
    expect(readdirSync(path.join(installed, 'tidemark/dist')).sort()).toEqual(['browser.js', 'index.d.ts', 'node.js']);
    expect(existsSync(path.join(installed, '.bin/gauge-surge'))).toBe(true);
    const shelf = path.join(top, 'tides/shelf/tidemark/1.4.0/tidemark-1.4.0.tar.gz');
    expect(execFileSync('tar', ['-tzf', shelf], { encoding: 'utf8' })).toContain('tidemark-1.4.0/lib/browser.js');
    const proxy = path.join(top, 'tides/modules/git.fenmarsh.example/tides/packages/bells/@v');
    if (whyNoGo() === null) expect(readFileSync(path.join(proxy, 'list'), 'utf8')).toBe('v0.1.1\n');
  });

  it('never writes into a folder that is not empty', async () => {
    const top = temporaryFolder();
    writeFileSync(path.join(top, 'mine.txt'), 'mine');

    const run = await bevelstoneJson(['demo', '.'], { cwd: top });

    expect(run).toMatchObject({ exitCode: 2, ok: false, error: { code: 'DEMO_EXISTS', where: { file: top } } });
    expect(readdirSync(top)).toEqual(['mine.txt']);
  });
});

describe('the program', () => {
  it('answers --version and --help', async () => {
    const cwd = temporaryFolder();

    const [version, help, commandHelp] = await Promise.all([
      bevelstone(['--version'], { cwd }),
      bevelstone(['--help'], { cwd }),
      bevelstone(['publish', '--help'], { cwd }),
    ]);

    expect(version.stdout).toBe(JSON.parse(readFileSync(path.join(root, 'package.json'), 'utf8')).version);
    expect(help.stdout).toContain('bevelstone ledger');
    expect(commandHelp.stdout).toMatch(/publish --dry-run[\s\S]*publish --push-tag/);
  });

  it.each([
    [['surwey'], /unknown command "surwey"/, /Did you mean "survey"/],
    [['rel'], /unknown command "rel"/, /Did you mean "release"/],
    [['release', '--dryrun'], /unknown option --dryrun/, /Did you mean "--dry-run"/],
    [['build', '--jobs', 'x'], /invalid value for --jobs/, /--jobs 2/],
    [['survey', '--colour'], /unknown option --colour/, /survey --help/],
    [['survey', '--raise', 'huge'], /invalid value "huge" for --raise/, /survey --help/],
    [['inspect'], /missing argument: inspect <file>/, /inspect --help/],
  ])('refuses %j with exit code 2', async (args, message, fix) => {
    const run = await bevelstoneJson(args, { cwd: temporaryFolder() });

    expect(run.exitCode).toBe(2);
    expect(run.error?.code).toBe('USAGE');
    expect(run.error?.message).toMatch(message);
    expect(run.error?.fix).toMatch(fix);
  });

  it('shows a fault of its own with its stack and exit code 1', async () => {
    const copy = temporaryFolder();
    for (const part of ['dist', 'demo', 'package.json'])
      cpSync(path.join(root, part), path.join(copy, part), { recursive: true });
    writeFileSync(
      path.join(copy, 'demo/history.yaml'),
      'people: {}\ncommits: [{ by: x, edit: [{ file: nowhere, find: a, write: b }] }]\n',
    );
    const program = path.join(copy, path.relative(root, programFile));
    mkdirSync(path.join(copy, 'work'));

    const run = await bevelstoneJson(['demo', 'tides'], { cwd: path.join(copy, 'work'), program });

    expect(run).toMatchObject({ exitCode: 1, ok: false, result: null, error: { code: 'INTERNAL' } });
    expect(run.stderr).toMatch(/a fault of Bevelstone itself[\s\S]*finds no "a" in nowhere[\s\S]*at /);
  });

  it('explains the problem outside a repository, and in an empty one', async () => {
    const cwd = temporaryFolder();

    const outside = await bevelstoneJson(['survey'], { cwd });
    execFileSync('git', ['init', '--quiet', cwd]);
    const empty = await bevelstoneJson(['survey'], { cwd });

    expect(outside).toMatchObject({ exitCode: 2, error: { code: 'WORKSPACE_NOT_FOUND' } });
    expect(empty).toMatchObject({ exitCode: 3, error: { code: 'REPOSITORY_EMPTY' } });
  });
});
