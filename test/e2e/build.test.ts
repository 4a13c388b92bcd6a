import { execFileSync, spawn } from 'node:child_process';
import { once } from 'node:events';
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { bevelstone, bevelstoneJson, programFile } from '../builders/program.ts';
import { TestRepository, testEnvironment } from '../builders/repository.ts';
import { appears, isRunning } from '../builders/wait.ts';
import { demoWorkspace, nodePackages } from '../builders/workspace.ts';

describe('build', () => {
  it('makes the same bytes at another place, time zone and umask', async () => {
    const [value, two] = [await demoWorkspace(), await demoWorkspace()];

    const first = await bevelstoneJson(['build', ...nodePackages], { cwd: value.folder });
    const script = `umask 077; exec "$0" "$@"`;
    const program = path.join(import.meta.dirname, '../../dist/main.js');
    const second = execFileSync('sh', ['-c', script, process.execPath, program, 'build', '--json', ...nodePackages], {
      cwd: two.folder,
      env: { ...process.env, TZ: 'Asia/Kathmandu', LC_ALL: 'C.UTF-8' },
      encoding: 'utf8',
      stdio: ['ignore', 'pipe', 'ignore'],
    });

    const digests = (releases: { artifacts: { file: string; sha256: string }[] }[]) =>
      releases.flatMap(({ artifacts }) => artifacts.map(({ file, sha256 }) => `${sha256} ${file}`));
    expect(digests(first.result.releases)).toHaveLength(3);
    expect(digests(JSON.parse(second).result.releases)).toEqual(digests(first.result.releases));
  });

  it('records every entry with its origin, and sums that sha256sum accepts', async () => {
    const { folder } = await demoWorkspace();

    const { result } = await bevelstoneJson(['build', '-p', 'tidemark'], { cwd: folder });

    expect(result.releases).toHaveLength(1);
    const out = result.releases[0].folder;
    expect(readdirSync(out).sort()).toEqual([
      'CONTENTS.json',
      'NOTES.md',
      'SHA256SUMS',
      'release.json',
      'tidemark-1.4.0.tar.gz',
      'tidemark-1.4.0.tgz',
    ]);
    expect(execFileSync('sha256sum', ['-c', 'SHA256SUMS'], { cwd: out, encoding: 'utf8' })).not.toContain('FAILED');
    const contents = JSON.parse(readFileSync(path.join(out, 'CONTENTS.json'), 'utf8'));
    const origin = (file: string) =>
      contents.artifacts[0].entries.find((entry: { path: string }) => entry.path === file).origin;
    expect(origin('package/package.json')).toMatchObject({
      type: 'source',
      path: 'packages/tidemark/package.json',
      stamped: true,
    });
    expect(origin('package/LICENSE')).toMatchObject({ type: 'source', stamped: false });
    expect(origin('package/dist/browser.js')).toEqual({
      type: 'step',
      path: 'packages/tidemark/dist/browser.js',
      step: 'node tools/build.js',
    });
  });

  it('uses one checkout for many packages, and each finds it as the commit is', async () => {
    const names = ['ebb', 'flood', 'slack', 'spring'];
    const line = (name: string) =>
      `  ${name}: { folder: packages/${name}, artifacts: [{ form: npm-tarball }, { form: source-archive, tree: commit }]${name === 'slack' ? ', build: [{ name: leave, run: "touch left ../flood/left" }]' : ''} }\n`;
    const files = names.map((name) => [
      `packages/${name}/package.json`,
      JSON.stringify({ name, version: '0.0.0', license: 'MIT' }),
    ]);
    const r = new TestRepository({
      'bevelstone.yaml': `schema: 1\npackages:\n${names.map(line).join('')}`,
      ...Object.fromEntries(files),
    });
    r.commit('feat: all', { paths: names.map((name) => `packages/${name}/index.js`) });
    r.checkOut();
    const trace = path.join(path.dirname(r.folder), `${path.basename(r.folder)}.trace`);

    const { result } = await bevelstoneJson(['build', '--jobs', '1'], { cwd: r.folder, env: { GIT_TRACE: trace } });

    const added = readFileSync(trace, 'utf8').match(/built-in: git .*worktree add/g);
    expect(added).toHaveLength(2);
    for (const { package: own, folder, artifacts } of result.releases) {
      const archive = artifacts.find(({ form }: { form: string }) => form === 'source-archive').file;
      const read = (...args: string[]) =>
        execFileSync('tar', ['-xzOf', path.join(folder, archive), ...args], { encoding: 'utf8' });
      const listed = execFileSync('tar', ['-tzf', path.join(folder, archive)], { encoding: 'utf8' });
      expect(listed.includes('left')).toBe(false);
      for (const name of names) {
        const manifest = read('--wildcards', `*/packages/${name}/package.json`);
        expect([own, name, JSON.parse(manifest).version]).toEqual([own, name, name === own ? '0.1.0' : '0.0.0']);
      }
    }
    expect(r.git('worktree', 'list').trim().split('\n')).toHaveLength(1);
  });

  it('builds the commit, not the working folder, and says what it left out', async () => {
    const { folder, git } = await demoWorkspace();
    const before = await bevelstoneJson(['build', ...nodePackages], { cwd: folder });
    writeFileSync(path.join(folder, 'packages/tidemark/README.md'), 'half a thought');
    writeFileSync(path.join(folder, 'packages/tidemark/new.js'), 'half a file');

    const after = await bevelstoneJson(['build', ...nodePackages], { cwd: folder });

    expect(after.result.dirty).toBe(true);
    expect(after.warnings.join()).toContain('packages/tidemark/README.md, packages/tidemark/new.js');
    expect(after.result.releases).toEqual(before.result.releases);
    expect(git('worktree', 'list').split('\n')).toHaveLength(1);
    expect(git('status', '--porcelain')).toBe('M packages/tidemark/README.md\n?? packages/tidemark/new.js');
  });

  it('stops at a failing step with exit code 7, the tail of its log and nothing half-written', async () => {
    const { folder, edit, git } = await demoWorkspace();
    edit('bevelstone.yaml', (text) =>
      text.replace('node tools/build.js', 'echo gauging; echo "no such tide" >&2; exit 9'),
    );

    const run = await bevelstoneJson(['build', ...nodePackages], { cwd: folder });

    expect(run).toMatchObject({ exitCode: 7, ok: false, error: { code: 'STEP_FAILED' } });
    expect(run.error?.message).toContain('exit code 9');
    expect(run.error?.why).toMatch(/\| gauging\n\| no such tide/);
    const log = /Full log: (.*)/.exec(run.error?.fix ?? '')?.[1] ?? '';
    expect(readFileSync(log, 'utf8')).toContain('no such tide');
    expect(
      existsSync(path.join(folder, 'bevelstone-out')) ? readdirSync(path.join(folder, 'bevelstone-out')) : [],
    ).toEqual([]);
    expect(git('worktree', 'list').split('\n')).toHaveLength(1);
  });

  it('cleans up when it is stopped, with everything that its step had started', async () => {
    const { folder, edit, git } = await demoWorkspace();
    const begun = path.join(folder, '../begun');
    const step = `sleep 600 & echo $! > ${begun}.new; mv ${begun}.new ${begun}; wait`;
    edit('bevelstone.yaml', (text) => text.replace('node tools/build.js', step));
    const child = spawn(process.execPath, [programFile, 'build', '--json', ...nodePackages], {
      cwd: folder,
      env: testEnvironment(),
      stdio: ['ignore', 'pipe', 'ignore'],
    });
    let printed = '';
    child.stdout.on('data', (chunk) => {
      printed += chunk;
    });
    await appears(begun);

    child.kill('SIGINT');
    const [exitCode] = await once(child, 'close');

    expect(exitCode).toBe(130);
    expect(JSON.parse(printed)).toMatchObject({ ok: false, error: { code: 'INTERRUPTED' } });
    expect(git('worktree', 'list').split('\n')).toHaveLength(1);
    expect(existsSync(path.join(folder, 'bevelstone-out'))).toBe(false);
    expect(isRunning(Number(readFileSync(begun, 'utf8')))).toBe(false);
  });

  it('gives steps the version, commit and time, and no credential', async () => {
    const { folder, edit, env, git } = await demoWorkspace();
    edit('bevelstone.yaml', (text) =>
      text.replace(
        'node tools/build.js',
        'node tools/build.js\n      - env | sort > dist/env.txt; umask >> dist/env.txt',
      ),
    );

    await bevelstoneJson(['build', ...nodePackages], { cwd: folder, env });

    const archive = path.join(folder, 'bevelstone-out/tidemark-1.4.0/tidemark-1.4.0.tgz');
    const seen = execFileSync('tar', ['-xzOf', archive, 'package/dist/env.txt'], { encoding: 'utf8' });
    expect(seen).toContain('BEVELSTONE_VERSION=1.4.0\n');
    expect(seen).toContain(`BEVELSTONE_COMMIT=${git('rev-parse', 'HEAD')}\n`);
    expect(seen).toContain(`SOURCE_DATE_EPOCH=${git('show', '-s', '--format=%ct', 'HEAD')}\n`);
    expect(seen).toMatch(/^0?022$/m);
    expect(seen).not.toContain('TIDE_OFFICE_TOKEN');
  });

  it('writes new ranges of workspace packages with the operator kept, and leaves the rest of the manifest', async () => {
    const { folder, edit } = await demoWorkspace();
    edit('packages/tidemark/src/tide.js', (text) => `${text}\n`, 'feat!: other heights');

    const { result } = await bevelstoneJson(['build', ...nodePackages], { cwd: folder });

    expect(
      result.releases.map(({ package: name, version }: { package: string; version: string }) => `${name} ${version}`),
    ).toEqual(['tidemark 2.0.0', 'gauges 0.2.1']);
    const archive = path.join(folder, 'bevelstone-out/gauges-0.2.1/gauges-0.2.1.tgz');
    const manifest = execFileSync('tar', ['-xzOf', archive, 'package/package.json'], { encoding: 'utf8' });
    const source = readFileSync(path.join(folder, 'packages/gauges/package.json'), 'utf8');
    expect(manifest).toBe(source.replace('"0.2.0"', '"0.2.1"').replace('"^1.2.0"', '"^2.0.0"'));
  });

  it.each([
    ['{ from: nowhere }', 'CONTENTS_NO_MATCH'],
    ['{ from: ../gauges, to: lib }', 'CONFIG_INVALID'],
    ['{ from: "src/*.js", to: lib }\n          - { from: dist/node.js, to: lib }', 'CONTENTS_COLLISION'],
  ])('refuses contents rules %s', async (rules, code) => {
    const { folder, edit } = await demoWorkspace();
    edit('bevelstone.yaml', (text) => text.replace('{ from: dist, to: lib }', rules));

    const run = await bevelstoneJson(['build', ...nodePackages], { cwd: folder });

    expect(run.error?.code).toBe(code);
  });

  it('builds a tagged commit as the version it was tagged with', async () => {
    const { folder } = await demoWorkspace();

    const { result } = await bevelstoneJson(['build', '--at', 'gauges/0.2.0', '-p', 'gauges'], {
      cwd: folder,
    });

    expect(result.releases.map((release: { version: string }) => release.version)).toEqual(['0.2.0']);
    expect(result.commit).toMatch(/^815f8ac/);
  });
});

describe('a package at the root of the repository', () => {
  it('packs everything of the checkout but what git keeps there', async () => {
    const r = new TestRepository({
      'bevelstone.yaml': 'schema: 1\npackages:\n  lonely: { ecosystem: plain, artifacts: [{ form: tar.gz }] }\n',
      'src/deep/x.c': 'int x;\n',
    });
    r.checkOut();

    const { result } = await bevelstoneJson(['build'], { cwd: r.folder });

    const archive = path.join(result.releases[0].folder, 'lonely-0.1.0.tar.gz');
    expect(execFileSync('tar', ['-tzf', archive], { encoding: 'utf8' })).toBe(
      'lonely-0.1.0/bevelstone.yaml\nlonely-0.1.0/src/deep/x.c\n',
    );
  });

  it('says which folder a step wanted to run in', async () => {
    const r = new TestRepository({
      'bevelstone.yaml':
        'schema: 1\npackages:\n  lonely: { ecosystem: plain, build: [{ run: "true", in: nowhere }], artifacts: [{ form: tar.gz }] }\n',
      'x.c': 'int x;\n',
    });
    r.checkOut();

    const run = await bevelstoneJson(['build'], { cwd: r.folder });

    expect(run).toMatchObject({ exitCode: 7, error: { code: 'STEP_FAILED', why: expect.stringContaining('nowhere') } });
  });
});

describe('a package without any configuration', () => {
  it('is surveyed, and built only as far as it says how', async () => {
    const r = new TestRepository({ 'package.json': '{ "name": "lonely", "version": "0.3.0" }\n' });
    r.tag('v0.3.0');
    r.commit('feat: x', { paths: ['index.js'] });
    r.checkOut();

    const survey = await bevelstone(['survey'], { cwd: r.folder });

    expect(survey.stdout).toMatch(/lonely\s+0\.3\.0\s+0\.3\.1\s+patch\s+1 feature/);
  });
});
