import { execFileSync } from 'node:child_process';
import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { bevelstone, bevelstoneJson } from '../builders/program.ts';
import { type ReleaseWorkspace, releaseWorkspace, uploads } from '../builders/release-workspace.ts';
import { TestRepository, temporaryFolder } from '../builders/repository.ts';

const ask = (w: ReleaseWorkspace, ...args: string[]) => bevelstoneJson(args, { cwd: w.folder, env: w.env });

describe('an existing tag', () => {
  it('is released as it is: its version, no commit, no tag of ours', async () => {
    const w = await releaseWorkspace();
    w.git('tag', '-a', '-m', 'by hand', 'v0.3.0');
    w.git('push', '--quiet', 'origin', 'v0.3.0');
    const head = w.git('rev-parse', 'HEAD');
    w.git('checkout', '--quiet', '--detach');

    const run = await w.release(['--tagged', 'v0.3.0']);

    expect(run.error).toBeNull();
    expect(run.result.releases[0]).toMatchObject({ version: '0.3.0', tag: 'v0.3.0', commit: head, source: head });
    expect(run.warnings.join()).toContain('the commits give 0.1.0');
    expect(w.git('cat-file', 'tag', 'v0.3.0')).not.toContain('Bevelstone-Run');
    expect(uploads(w)).toEqual([1]);
  });

  it.each([
    ['gives too little for what changed', ['v0.1.1'], 'VERSION_REFUSED', 'demand'],
    ['is not on the remote', ['v0.2.0', 'here only'], 'TAG_NOT_PUSHED', 'does not have it'],
    ['does not match the tag pattern of a package', ['nightly'], 'PACKAGE_NOT_FOUND', 'matches no'],
  ])('is refused when it %s', async (_, [tag = '', isLocal], code, why) => {
    const w = await releaseWorkspace();
    await w.release();
    w.commit('feat!: depths in decimetres', { 'soundings/depth.js': 'export const depth = 42;\n' });
    w.git('push', '--quiet');
    w.git('tag', '-a', '-m', 'by hand', tag);
    if (isLocal === undefined) w.git('push', '--quiet', 'origin', tag);

    const run = await w.release(['--tagged', tag]);

    expect([run.error?.code, run.exitCode > 0]).toEqual([code, true]);
    expect(run.error?.why).toContain(why);
  });
});

describe('several machines', () => {
  it('build parts of one commit, which are joined and released as one', async () => {
    const w = await releaseWorkspace();
    const file = path.join(w.folder, 'bevelstone.yaml');
    const forPlatforms =
      'platforms: [linux-x64, linux-arm64], build: ["echo {platform} > {out}/made-{platform}"], artifacts: [{ form: npm-tarball }, { form: tar.gz, name: "{package}-{version}-{platform}.tar.gz", files: [{ from: "{out}/made-{platform}" }] }]';
    const text = readFileSync(file, 'utf8').replace('artifacts: [{ form: npm-tarball }]', forPlatforms);
    w.commit('build: for two platforms', { 'bevelstone.yaml': text });
    w.git('push', '--quiet');

    const alone = await w.release();
    const handed = await w.release(['--hand-out']);
    const run = handed.result.run as string;
    const ref = `refs/bevelstone/handed-out/${run}`;
    const commit = w.git('ls-remote', 'origin', ref).split('\t')[0] ?? '';
    const other = w.clone('on-arm');
    other.git('fetch', '--quiet', 'origin', ref);
    const there = await ask(other, 'build', '--at', commit, '--platform', 'linux-arm64');
    const here = await ask(w, 'build', '--at', commit, '--platform', 'linux-x64');
    const early = await w.release(['--resume']);
    const joined = await ask(w, 'gather', 'bevelstone-out', path.join(other.folder, 'bevelstone-out'));
    const released = await w.release(['--resume']);

    expect([alone.error?.code, alone.error?.why]).toEqual(['GATES_REFUSED', expect.stringContaining('linux-arm64')]);
    for (const item of [handed, there, here, joined, released]) expect(item.error?.why ?? null).toBeNull();
    expect(early.error?.code).toBe('PLATFORM_PENDING');
    expect(
      joined.result.releases[0].artifacts.map((artifact: { platform: string | null }) => artifact.platform).sort(),
    ).toEqual([null, 'linux-arm64', 'linux-x64'].sort());
    expect(released.result.releases[0].commit).toBe(commit);
    expect(w.git('ls-remote', 'origin', ref)).toBe('');
  });

  it('are refused when their parts are of different commits', async () => {
    const w = await releaseWorkspace();
    await ask(w, 'build');
    const other = w.clone('elsewhere');
    other.commit('fix: meanwhile', { 'soundings/depth.js': 'export const depth = 5;\n' });
    await ask(other, 'build');

    const run = await ask(w, 'gather', 'bevelstone-out', path.join(other.folder, 'bevelstone-out'));

    expect([run.exitCode, run.error?.code]).toEqual([3, 'GATHER_DIFFERS']);
  });
});

describe('the record', () => {
  it('tells from a fresh clone where a file, an entry, a commit and an issue were first released', async () => {
    const w = await releaseWorkspace();
    await w.release();
    w.commit('fix: the lock gate (#12)', { 'soundings/depth.js': 'export const depth = 4.3;\n' });
    const fix = w.git('rev-parse', 'HEAD');
    await w.release();
    w.commit('feat: depths at night', { 'soundings/night.js': 'export const night = 1;\n' });
    const open = w.git('rev-parse', 'HEAD');
    const tarball = path.join(w.folder, 'bevelstone-out/soundings-0.1.1/soundings-0.1.1.tgz');
    w.git('push', '--quiet');
    const other = w.clone('elsewhere');

    const of = async (what: string) => (await ask(other, 'ledger', 'trace', what)).result.matches;

    expect(await of(tarball)).toMatchObject([{ version: '0.1.1', artifact: 'soundings-0.1.1.tgz', entry: null }]);
    expect(await of('soundings/depth.js')).toMatchObject([
      { version: '0.1.1', entry: 'package/depth.js', origin: { type: 'source', path: 'soundings/depth.js' } },
    ]);
    expect(await of('soundings/LICENSE')).toMatchObject([{ version: '0.1.0' }]);
    expect(await of(fix)).toMatchObject([{ package: 'soundings', version: '0.1.1', isReleased: true, line: 'stable' }]);
    expect(await of('issue:12')).toMatchObject([{ version: '0.1.1', isReleased: true }]);
    expect(await of(open)).toMatchObject([{ version: '0.1.2', isReleased: false }]);
    expect(await of('issue:99')).toEqual([]);
    expect((await ask(other, 'ledger', 'trace', 'nothing-like-that')).error?.code).toBe('COMMIT_NOT_FOUND');
  });

  it('shows a release, what differs from another one, and a card that loads nothing', async () => {
    const w = await releaseWorkspace();
    await w.release();
    w.commit('fix: <b>the lock</b> gate', {
      'soundings/depth.js': 'export const depth = 4.3;\n',
      'soundings/sill.js': 'export const sill = 1;\n',
    });
    const page = path.join(w.top, 'card.html');

    await w.release(['--card', page]);
    const shown = await ask(w, 'ledger', 'show', 'soundings', '--against', 'soundings@0.1.0');

    expect(shown.result).toMatchObject({ package: 'soundings', version: '0.1.1', withdrawals: [] });
    const [artifact] = shown.result.against.artifacts;
    expect(artifact.entries.added.map((item: { path: string }) => item.path)).toEqual(['package/sill.js']);
    expect(artifact.entries.changed.map((item: { path: string }) => item.path)).toContain('package/depth.js');
    const html = readFileSync(page, 'utf8');
    expect(html).toContain('&lt;b&gt;the lock&lt;/b&gt; gate');
    expect(html).toContain('npm install');
    expect(html).not.toMatch(/<script|src=|@import|url\(/);
    expect(html.match(/<svg[^>]*aria-label/g)?.length).toBeGreaterThan(0);
  });

  it('says without a command where things stand, and what to do next', async () => {
    const w = await releaseWorkspace();
    const fresh = await bevelstoneJson([], { cwd: w.folder, env: w.env });
    await w.release([], { BEVELSTONE_FAULT: 'agreed::after-done' }).catch(() => null);
    const cut = await bevelstoneJson([], { cwd: w.folder, env: w.env });
    await w.release(['--resume']);
    const done = await bevelstone([], { cwd: w.folder, env: w.env });

    expect(fresh).toMatchObject({ command: '', result: { run: null, next: 'bevelstone release --dry-run' } });
    expect(cut.result).toMatchObject({ run: { isPublic: false }, next: 'bevelstone release --resume' });
    expect(done.stdout).toMatch(/soundings +0\.1\.0, \d{4}-\d\d-\d\d/);
  });
});

describe('init', () => {
  it('writes a configuration whose survey agrees with the tags, and never overwrites', async () => {
    const w = await releaseWorkspace({ packages: ['soundings', 'buoys'] });
    await w.release();
    rmSync(path.join(w.folder, 'bevelstone.yaml'));
    rmSync(path.join(w.folder, '.gitignore'));

    const dry = await bevelstone(['init', '--dry-run'], { cwd: w.folder });
    const run = await bevelstoneJson(['init', '--yes'], { cwd: w.folder });
    const again = await bevelstoneJson(['init'], { cwd: w.folder });
    const check = await bevelstoneJson(['config', 'check'], { cwd: w.folder });

    expect(dry.stdout).toContain('soundings:');
    expect(run.result.packages).toEqual([
      { name: 'buoys', last: '0.1.0', next: null },
      { name: 'soundings', last: '0.1.0', next: null },
    ]);
    expect(readFileSync(path.join(w.folder, '.gitignore'), 'utf8')).toContain('bevelstone-out/');
    expect([again.exitCode, again.error?.code]).toEqual([2, 'CONFIG_EXISTS']);
    expect(check.result.config.packages.buoys.folder).toBe('buoys');
  });

  it.each([
    ['v1.2.0', 'v{version}'],
    ['1.2.0', '{version}'],
    ['soundings-1.2.0', '{package}-{version}'],
    ['soundings@1.2.0', '{package}@{version}'],
  ])('reads the habit of a tag like %s', async (tag, pattern) => {
    const repository = new TestRepository({
      'package.json': '{ "name": "@fenmarsh/soundings", "version": "1.2.0" }',
      'HISTORY.md': '# History\n',
    });
    repository.tag(tag);
    repository.checkOut();

    const run = await bevelstoneJson(['init'], { cwd: repository.folder });

    expect(run.result.packages).toEqual([{ name: 'soundings', last: '1.2.0', next: null }]);
    expect(run.result.config).toMatchObject({ history: { tag: [pattern] }, 'write-back': { changelog: 'HISTORY.md' } });
  });

  it('takes a repository without a manifest for plain files', async () => {
    const repository = new TestRepository({ 'notes.txt': 'nothing' });
    repository.checkOut();

    const run = await bevelstoneJson(['init'], { cwd: repository.folder });

    expect(run.exitCode).toBe(0);
    expect(Object.values(run.result.config.packages)).toMatchObject([{ ecosystem: 'plain' }]);
  });
});

describe('config', () => {
  it('gives a schema that knows every key of the reference', async () => {
    const w = await releaseWorkspace();

    const run = await ask(w, 'config', 'schema');

    const { properties } = run.result.schema;
    expect(Object.keys(properties)).toEqual(
      expect.arrayContaining(['streams', 'packages', 'destinations', 'gates', 'afterwards']),
    );
    expect(properties.gates.properties).toMatchObject({ 'run-in': { enum: ['checkout', 'working-folder'] } });
    writeFileSync(path.join(w.folder, 'bevelstone.yaml'), 'schema: 1\ngate: {}\n');
    expect(
      (await ask(w, 'config', 'check')).error?.problems[0]?.code ?? (await ask(w, 'config', 'check')).error?.code,
    ).toMatch(/^CONFIG_/);
  });

  it('is checked before anything is committed, and says what could not be', async () => {
    const folder = temporaryFolder();
    execFileSync('git', ['init', '--quiet'], { cwd: folder });
    writeFileSync(path.join(folder, 'bevelstone.yaml'), 'schema: 1\npackages: { coast: {} }\n');

    const good = await bevelstoneJson(['config', 'check'], { cwd: folder });
    writeFileSync(path.join(folder, 'bevelstone.yaml'), 'schema: 1\npackage: {}\n');
    const bad = await bevelstoneJson(['config', 'check'], { cwd: folder });

    expect([good.exitCode, good.warnings]).toEqual([0, [expect.stringContaining('manifests were not checked')]]);
    expect(bad.error).toMatchObject({ code: 'CONFIG_INVALID', fix: 'Did you mean "packages"?' });
  });

  it('is shown in a form that is itself valid, and editors find its schema', async () => {
    const w = await releaseWorkspace({ destinations: ['office', 'shelf'] });

    const shown = await bevelstone(['config', 'show'], { cwd: w.folder, env: w.env });
    writeFileSync(path.join(w.folder, 'bevelstone.yaml'), shown.stdout);
    const checked = await ask(w, 'config', 'check');

    expect([checked.exitCode, checked.error]).toEqual([0, null]);
    expect((await bevelstone(['config', 'show'], { cwd: w.folder, env: w.env })).stdout).toBe(shown.stdout);
    const schema = JSON.parse(readFileSync(path.join(w.folder, '.git/bevelstone/schema.json'), 'utf8'));
    expect(schema.properties.packages.description).toBe('Packages by name.');
  });
});

describe('a release of the only package', () => {
  it.each(['0.1.0', 'v0.1.0', 'soundings@v0.1.0', 'soundings'])('may be named %s', async (name) => {
    const w = await releaseWorkspace({ destinations: [] });
    expect((await w.release()).error).toBeNull();

    const run = await ask(w, 'ledger', 'show', name);

    expect(run.result).toMatchObject({ package: 'soundings', version: '0.1.0' });
  });
});

describe('a name that is no release', () => {
  it.each(['../soundings@0.1.0', '/soundings@0.1.0', 'soundings@../0.1.0', ':(top)soundings@0.1.0'])(
    'is not taken for a path: %s',
    async (name) => {
      const w = await releaseWorkspace({ destinations: [] });
      expect((await w.release()).error).toBeNull();

      const run = await ask(w, 'ledger', 'show', name);

      expect(run).toMatchObject({ exitCode: 2, error: { code: 'RELEASE_NOT_RECORDED' } });
    },
  );
});
