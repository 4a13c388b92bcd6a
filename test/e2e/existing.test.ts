// What a maintainer meets in a repository that exists already, or begins.
import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import type { Ecosystem } from '../../src/core/name/ecosystem.ts';
import { init } from '../../src/flow/survey/init.ts';
import { testContext } from '../builders/context.ts';
import { bevelstone, bevelstoneJson, programFile } from '../builders/program.ts';
import { releaseWorkspace } from '../builders/release-workspace.ts';
import { TestRepository, testEnvironment } from '../builders/repository.ts';
import { hasTerminal, inTerminal } from '../builders/terminal.ts';
import { itWith } from '../builders/tools.ts';

const node = (name: string, more: object = {}) => JSON.stringify({ name, version: '1.0.0', ...more });

describe('init', () => {
  it('asks what it cannot know, and takes an empty answer for its own', async () => {
    const r = new TestRepository({ 'package.json': node('tidemark') }, 'Begin');
    r.checkOut();
    const asked: [string, string][] = [];
    const answers = ['trunk', 'tide-{version}', 'refuse', 'https://packages.fenmarsh.example/node/', 'OFFICE_TOKEN'];
    const context = testContext(r.folder, {
      askText: async (question, usual) => {
        asked.push([question, usual]);
        return answers[asked.length - 1] ?? usual;
      },
    });

    const { config } = await init(context, { dryRun: false, yes: false });

    expect(asked.map(([, usual]) => usual)).toEqual(['main', 'v{version}', 'patch', '', '']);
    expect(config.streams['stable']).toMatchObject({ from: 'trunk' });
    expect(config.history).toMatchObject({ tag: [{ read: 'tide-{version}' }], unmarked: 'refuse' });
    expect(config.packages['tidemark']?.['send-to']).toEqual(['office']);
    expect(config.destinations['office']).toMatchObject({ speaks: 'npm-registry', credential: 'env:OFFICE_TOKEN' });
  });

  it.runIf(hasTerminal)('asks in a terminal, and takes its own answers for empty ones', async () => {
    const r = new TestRepository({ 'package.json': node('tidemark') }, 'fix: begin');
    r.checkOut();
    const answers = ['stable releases made from?=', 'tags written?=tide-{version}', 'Where do releases go?='];
    const { shown, exitCode } = await inTerminal([process.execPath, programFile, 'init'], {
      cwd: r.folder,
      env: testEnvironment(),
      answers,
    });

    expect([exitCode, shown]).toEqual([0, expect.stringContaining('wrote bevelstone.yaml')]);
    expect(readFileSync(path.join(r.folder, 'bevelstone.yaml'), 'utf8')).toMatch(
      /tag: "tide-\{version\}"[\s\S]*from: main/,
    );
  });

  it('names every file that it writes, and changes nothing in a dry run', async () => {
    const r = new TestRepository({ 'package.json': node('tidemark'), '.gitignore': 'node_modules' }, 'Begin');
    r.checkOut();
    const dry = await bevelstoneJson(['init', '--dry-run'], { cwd: r.folder });
    const before = r.git('status', '--porcelain');
    const written = await bevelstoneJson(['init'], { cwd: r.folder });
    const twice = await bevelstoneJson(['init'], { cwd: r.folder });

    expect([dry.result.wrote, before]).toEqual([[], '']);
    expect(written.result.wrote.map(({ file }: { file: string }) => path.basename(file))).toEqual([
      'bevelstone.yaml',
      '.gitignore',
    ]);
    expect(readFileSync(path.join(r.folder, '.gitignore'), 'utf8')).toBe('node_modules\nbevelstone-out/\n');
    expect(twice.error?.code).toBe('CONFIG_EXISTS');
  });

  it('shows what its patterns would have made of the last releases', async () => {
    const r = new TestRepository({ 'package.json': node('tidemark') }, 'Begin');
    r.tag('v1.0.0');
    for (const [subject, version] of [
      ['[FIX] Round', 'v1.0.1'],
      ['[NEW] Views', 'v1.1.0'],
      ['[FIX] Count', 'v1.2.0'],
    ] as const) {
      r.commit(subject, { paths: ['x.js'] });
      r.tag(version);
    }
    r.commit('[NEW] Board', { paths: ['x.js'] });
    r.checkOut();

    const { result } = await bevelstoneJson(['init'], { cwd: r.folder });

    expect(result.tried).toEqual([
      { package: 'tidemark', tag: 'v1.2.0', released: '1.2.0', computed: '1.1.1' },
      { package: 'tidemark', tag: 'v1.1.0', released: '1.1.0', computed: '1.1.0' },
      { package: 'tidemark', tag: 'v1.0.1', released: '1.0.1', computed: '1.0.1' },
    ]);
    expect(result.packages).toEqual([{ name: 'tidemark', last: '1.2.0', next: '1.3.0' }]);
  });

  const checks: readonly (readonly [Ecosystem, string, readonly string[]])[] = [
    ['node', 'npm test', ['npm']],
    ['python', 'PYTHONPATH=src python3 -m unittest discover -s tests', ['python3']],
    ['rust', 'cargo test --offline --quiet', ['cargo']],
    ['native', 'cmake -B build && cmake --build build && ctest --test-dir build', ['cmake', 'cc']],
    ['jvm', 'sh check.sh', ['javac']],
    ['plain', 'sh check.sh', []],
  ];
  for (const [ecosystem, command, tools] of checks)
    itWith(...tools)(
      `--new ${ecosystem} writes a repository whose first test passes and which can be built`,
      async () => {
        const r = new TestRepository();
        const written = await bevelstoneJson(['init', '--new', ecosystem], { cwd: r.folder });
        const env = testEnvironment({ HOME: process.env['HOME'] ?? '' });
        execFileSync('sh', ['-c', command], { cwd: r.folder, env, stdio: 'pipe' });
        r.git('clean', '--quiet', '-fdx', 'build', 'target');
        r.git('add', '--all');
        r.git('commit', '--quiet', '-m', 'feat: begin');
        const survey = await bevelstoneJson(['survey'], { cwd: r.folder });
        // Maven gets its plugins from the network.
        const built = ecosystem === 'jvm' ? null : await bevelstoneJson(['build'], { cwd: r.folder });

        expect(written.error).toBeNull();
        expect(survey.result.packages[0]).toMatchObject({ last: null, next: '0.1.0' });
        expect(built?.error ?? null).toBeNull();
      },
    );

  it('--new refuses where something is', async () => {
    const r = new TestRepository({ 'package.json': node('tidemark') }, 'Begin');
    r.checkOut();
    const run = await bevelstoneJson(['init', '--new', 'python'], { cwd: r.folder });

    expect(run.error).toMatchObject({ code: 'FILE_EXISTS', message: expect.stringContaining('package.json') });
    expect(r.git('status', '--porcelain')).toBe('');
  });
});

describe('a release in a workspace', () => {
  it('without `send-to` is refused, and with an empty one makes a tag and a record', async () => {
    const w = await releaseWorkspace();
    const config = path.join(w.folder, 'bevelstone.yaml');
    const text = readFileSync(config, 'utf8');
    w.commit('chore: nowhere', { 'bevelstone.yaml': text.replace(', send-to: [office]', '') });
    w.git('push', '--quiet');
    const refused = await w.release(['--dry-run']);
    w.commit('chore: only a tag', { 'bevelstone.yaml': text.replace('send-to: [office]', 'send-to: []') });
    w.git('push', '--quiet');
    const released = await w.release();

    expect(refused.error).toMatchObject({ code: 'GATES_REFUSED', fix: expect.stringContaining('send-to: []') });
    expect(released.error).toBeNull();
    expect(w.git('ls-remote', '--tags', 'origin')).toContain('refs/tags/v0.1.0');
  });

  it('says that the working tree has another bevelstone.yaml', async () => {
    const w = await releaseWorkspace({ more: 'gates: { clean: false }\n' });
    const config = path.join(w.folder, 'bevelstone.yaml');
    writeFileSync(config, `${readFileSync(config, 'utf8')}# more\n`);
    const run = await w.release(['--dry-run']);

    const commit = w.git('rev-parse', '--short=7', 'HEAD');
    expect(run.warnings).toContain(
      `bevelstone.yaml in your working tree is not committed; this used the one at ${commit}`,
    );
  });

  it('says that the working tree has another introduction for the notes', async () => {
    const w = await releaseWorkspace();
    mkdirSync(path.join(w.folder, 'soundings/notes'));
    writeFileSync(path.join(w.folder, 'soundings/notes/next.md'), 'Half tides.\n');
    const run = await bevelstoneJson(['notes'], { cwd: w.folder });

    expect(run.warnings).toEqual(['soundings/notes/next.md in your working tree is not committed; this used none']);
  });

  it('names what delivers a release to a destination that was added since', async () => {
    const w = await releaseWorkspace();
    await w.release();
    const text = readFileSync(path.join(w.folder, 'bevelstone.yaml'), 'utf8');
    w.commit('chore: another', {
      'bevelstone.yaml': text
        .replace('send-to: [office]', 'send-to: [office, shelf]')
        .replace('destinations:\n', 'destinations:\n  shelf: { speaks: folder, url: ../shelf }\n'),
    });
    w.git('push', '--quiet');
    const run = await w.release();

    expect(run.error).toMatchObject({
      code: 'NOTHING_TO_RELEASE',
      fix: expect.stringContaining('bevelstone promote soundings@0.1.0 --from office --to shelf'),
    });
  });

  it('that is unfinished is named first by survey and status, in every clone', async () => {
    const w = await releaseWorkspace();
    await w.release([], { BEVELSTONE_FAULT: 'sent:*:before' }).catch(() => null);
    const clone = w.clone('another-machine');
    const options = { cwd: clone.folder, env: clone.env };
    const survey = await bevelstoneJson(['survey'], options);
    const status = await bevelstone([], options);
    // One that has the tag and not the commit.
    const behind = w.clone('behind');
    behind.git('reset', '--quiet', '--hard', 'HEAD~1');
    const refused = await bevelstoneJson(['survey'], { cwd: behind.folder, env: behind.env });
    const finished = await clone.release(['--resume']);
    const after = await bevelstoneJson(['survey'], options);
    // No address of a destination is known: what cannot be checked stops neither.
    const bare = await bevelstoneJson(['survey'], { cwd: clone.folder });
    const bareStatus = await bevelstone([], { cwd: clone.folder });

    expect(survey.warnings.join('\n')).toMatch(
      /the release of soundings 0\.1\.0 \(\S+\) is not finished: bevelstone release --resume/,
    );
    expect(status.stdout).toContain('release --resume');
    expect(refused.error?.code).toBe('RUN_OPEN');
    expect(finished.error).toBeNull();
    expect(after.warnings).toEqual([]);
    expect([bare.exitCode, bareStatus.exitCode]).toEqual([0, 0]);
  });

  it('of packages that share a version releases them together, or not at all', async () => {
    const cargo = (name: string) => `[package]\nname = "${name}"\nversion.workspace = true\n`;
    const r = new TestRepository(
      {
        'Cargo.toml': '[workspace]\nmembers = ["a", "b"]\n[workspace.package]\nversion = "1.0.0"\n',
        'a/Cargo.toml': cargo('a'),
        'b/Cargo.toml': cargo('b'),
        'bevelstone.yaml':
          'schema: 1\ngates: { in-step: false }\npackages:\n  a: { folder: a, artifacts: [{ form: source-archive }], send-to: [] }\n  b: { folder: b, artifacts: [{ form: source-archive }], send-to: [] }\n',
      },
      'chore: begin',
    );
    r.tag('a/1.0.0', 'b/1.0.0');
    r.commit('fix: x', { files: { 'a/x.rs': '' } });
    r.checkOut();
    const remote = `${r.folder}-remote`;
    r.git('init', '--quiet', '--bare', remote);
    r.git('remote', 'add', 'origin', remote);
    r.git('push', '--quiet', '--all', 'origin');
    const run = await bevelstoneJson(['release', '--dry-run'], { cwd: r.folder });

    expect(run.error).toMatchObject({ code: 'VERSION_SHARED', message: expect.stringContaining('Cargo.toml') });
  });

  it('writes stamps back, but not those that could not be filled in again', async () => {
    const stamps =
      '[{ file: depth.js, find: "DEPTH = .*;", write: "DEPTH = \\"{version}\\";" }, { file: other.js, find: "@VERSION@", write: "{version}" }]';
    const w = await releaseWorkspace();
    const text = readFileSync(path.join(w.folder, 'bevelstone.yaml'), 'utf8');
    w.commit('feat: stamps', {
      'bevelstone.yaml': text.replace('artifacts:', `stamp: ${stamps}, artifacts:`),
      'soundings/depth.js': 'export const DEPTH = "";\n',
      'soundings/other.js': 'export const other = "@VERSION@";\n',
    });
    w.git('push', '--quiet');
    const run = await w.release();

    expect(run.error).toBeNull();
    expect(w.git('show', 'v0.1.0:soundings/depth.js')).toBe('export const DEPTH = "0.1.0";');
    expect(w.git('show', 'v0.1.0:soundings/other.js')).toContain('@VERSION@');
    expect(run.warnings.join('\n')).toContain('soundings/other.js gets its stamp in the build only');
  });
});
