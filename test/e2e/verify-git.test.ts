// What clients of languages get of a tag, from a server of git's own, with nothing of this machine but their programs.
import { execFileSync } from 'node:child_process';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { startGitServer } from '../builders/git-server.ts';
import { bevelstone, bevelstoneJson } from '../builders/program.ts';
import { TestRepository, temporaryFolder, testEnvironment } from '../builders/repository.ts';
import { itUnless, rustEnvironment, whyNoCargo } from '../builders/rust-tools.ts';
import { itWith } from '../builders/tools.ts';

const backend = `import zipfile
def build_wheel(folder, config=None, metadata=None):
    name = 'wave-1.2.0-py3-none-any.whl'
    with zipfile.ZipFile(folder + '/' + name, 'w') as wheel:
        wheel.writestr('wave_heights.py', 'height = 42\\n')
        wheel.writestr('wave-1.2.0.dist-info/METADATA', 'Metadata-Version: 2.1\\nName: wave\\nVersion: 1.2.0\\n')
        wheel.writestr('wave-1.2.0.dist-info/WHEEL', 'Wheel-Version: 1.0\\nGenerator: x\\nRoot-Is-Purelib: true\\nTag: py3-none-any\\n')
        wheel.writestr('wave-1.2.0.dist-info/RECORD', '')
    return name
`;

const npm = (name: string, more: object) => JSON.stringify({ name, version: '1.2.0', ...more });

/** Packages that git alone is enough for, and some that it is not, at a tag of each. */
async function pushed(more: Readonly<Record<string, string>> = {}) {
  const top = temporaryFolder();
  const remote = path.join(top, 'tides.git');
  execFileSync('git', ['init', '--quiet', '--bare', '--initial-branch=main', remote], { env: testEnvironment() });
  const url = `${await startGitServer(top)}tides.git`;
  const names = ['sound', 'chart', 'bare', 'wave', 'swell', 'depth'];
  const packages = Object.fromEntries(
    names.map((name) => [name, { folder: `packages/${name}`, ...(name === 'bare' ? { ecosystem: 'node' } : {}) }]),
  );
  const repository = new TestRepository(
    {
      'bevelstone.yaml': JSON.stringify({
        schema: 1,
        repository: url,
        packages: { ...packages, depth: { folder: 'packages/depth', ecosystem: 'plain' } },
      }),
      'packages/sound/package.json': npm('sound', { main: './sound.js' }),
      'packages/sound/sound.js': 'module.exports = 42;\n',
      'packages/chart/package.json': npm('chart', {
        exports: { '.': { types: './dist/chart.d.ts', default: './dist/chart.js' }, './raw': './src/raw.ts' },
        scripts: { prepack: 'echo build' },
      }),
      'packages/chart/src/raw.ts': 'export const raw = 42;\n',
      'packages/bare/README.md': '# Bare\n',
      'packages/wave/pyproject.toml':
        '[build-system]\nrequires = []\nbuild-backend = "backend"\nbackend-path = ["."]\n\n[project]\nname = "wave"\nversion = "1.2.0"\n',
      'packages/wave/backend.py': backend,
      'packages/swell/Cargo.toml': '[package]\nname = "swell"\nversion = "1.2.0"\nedition = "2021"\n',
      'packages/swell/src/lib.rs': 'pub fn swell() -> u32 { 42 }\n',
      'packages/depth/README.md': '# Depth\n',
      ...more,
    },
    'feat: soundings',
  );
  repository.tag(...names.map((name) => `${name}/1.2.0`));
  repository.checkOut();
  repository.git('remote', 'add', 'origin', remote);
  repository.git('push', '--quiet', '--tags', '--set-upstream', 'origin', 'main');
  const at = { cwd: repository.folder };
  const verify = (...args: string[]) => bevelstoneJson(['verify', ...args], { ...at, env: rustEnvironment });
  return { top, repository, remote, url, at, verify };
}

type Cell = { readonly state: string; readonly why: string | null };

describe('verify --git', () => {
  itWith('npm')('says for each package what npm gets, and why not', async () => {
    const { verify, at, url } = await pushed();

    const { result, error } = await verify('--git', '-p', 'sound', '-p', 'chart', '-p', 'bare', '-p', 'depth');
    const [sound, chart, bare, depth] = result.git.packages as Record<string, Cell & unknown>[];
    const shown = await bevelstone(['verify', '--git', '-p', 'chart'], at);

    expect(error).toBeNull();
    expect(result.git.remote).toBe(url);
    expect(sound).toMatchObject({ client: 'npm', git: { state: 'works' }, archive: { state: 'not-tried' } });
    expect(chart).toMatchObject({
      git: { state: 'fails', why: expect.stringContaining('dist/chart.d.ts') },
      builtFirst: [
        { field: 'exports', file: 'dist/chart.d.ts' },
        { field: 'exports', file: 'dist/chart.js' },
        { field: 'exports', file: 'src/raw.ts' },
      ],
      scripts: ['prepack'],
    });
    expect(bare).toMatchObject({ manifest: { file: 'package.json', isThere: false }, git: { state: 'fails' } });
    expect(depth).toMatchObject({ client: null, git: { state: 'not-tried' }, registry: { state: 'not-tried' } });
    expect(shown.stdout).toContain(
      'built first: dist/chart.d.ts (`exports`), dist/chart.js (`exports`), src/raw.ts (`exports`)',
    );
    expect(shown.stdout).toContain('scripts that run for whoever installs: prepack');
  });

  itWith('npm')('takes what is at the top of an archive, and names a HEAD that leads nowhere', async () => {
    const top = temporaryFolder();
    const remote = path.join(top, 'sound.git');
    execFileSync('git', ['init', '--quiet', '--bare', '--initial-branch=none', remote], { env: testEnvironment() });
    const files = { 'package.json': npm('sound', { main: 'sound.js' }), 'sound.js': 'module.exports = 42;\n' };
    const repository = new TestRepository(files, 'feat: soundings');
    repository.tag('v1.2.0');
    repository.checkOut();
    repository.git('remote', 'add', 'origin', remote);
    repository.git('push', '--quiet', 'origin', 'main', 'v1.2.0');

    const { result } = await bevelstoneJson(['verify', '--git', 'v1.2.0'], { cwd: repository.folder });

    expect(result.git.packages).toMatchObject([
      { git: { state: 'fails', why: expect.stringContaining('HEAD') }, archive: { state: 'works', why: null } },
    ]);
  });

  itWith('python3', 'python3-venv')('tries pip from git and from an archive', async () => {
    const { verify } = await pushed();

    const { result } = await verify('--git', 'wave/1.2.0');

    expect(result.git.packages).toMatchObject([
      { package: 'wave', client: 'pip', git: { state: 'works' }, archive: { state: 'works' }, tag: 'wave/1.2.0' },
    ]);
  });

  itWith('python3', 'python3-venv')('shows the reason of a client in a few words', async () => {
    const { verify } = await pushed({ 'packages/wave/backend.py': 'raise RuntimeError("no tide table here")\n' });

    const { result } = await verify('--git', 'wave/1.2.0');

    expect(result.git.packages[0].git).toMatchObject({
      state: 'fails',
      why: expect.stringContaining('no tide table here'),
    });
    expect(result.git.packages[0].git.why.split('\n').length).toBeLessThanOrEqual(3);
  });

  itUnless(whyNoCargo())('tries cargo from git', async () => {
    const { verify } = await pushed();

    const { result } = await verify('--git', 'swell/1.2.0');

    expect(result.git.packages).toMatchObject([
      { client: 'cargo', git: { state: 'works' }, archive: { state: 'not-tried' } },
    ]);
  });

  it('refuses a tag that was moved, with both commits', async () => {
    const { verify, remote, repository } = await pushed();
    const here = repository.head;
    const other = repository.commit('fix: later', { paths: ['packages/sound/later'] });
    repository.git('push', '--quiet', 'origin', 'main');
    execFileSync('git', ['tag', '--force', 'sound/1.2.0', other], {
      cwd: remote,
      env: testEnvironment(),
      stdio: 'ignore',
    });

    const { error, exitCode } = await verify('--git', 'sound/1.2.0');

    expect(error).toMatchObject({ code: 'TAG_ELSEWHERE' });
    expect(error?.why).toContain(here);
    expect(error?.why).toContain(other);
    expect(exitCode).toBe(3);
  });

  it('refuses a tag that the remote does not have, a tag that does not exist, and a shallow remote', async () => {
    const { verify, remote, repository, top } = await pushed();
    repository.tag('sound/1.3.0');
    const shallow = path.join(top, 'shallow.git');
    repository.commit('fix: later', { paths: ['packages/sound/later'] });
    repository.git('push', '--quiet', 'origin', 'main');
    execFileSync('git', ['clone', '--quiet', '--bare', '--depth=1', `file://${remote}`, shallow], {
      env: testEnvironment(),
      stdio: 'ignore',
    });

    const [notPushed, unknown] = [await verify('--git', 'sound/1.3.0'), await verify('--git', 'sound/9.9.9')];
    const config = repository.git('show', 'main:bevelstone.yaml').replace('tides.git', 'shallow.git');
    repository.checkOut({ 'bevelstone.yaml': config });
    const cut = await verify('--git', 'sound/1.2.0');
    repository.checkOut({ 'bevelstone.yaml': config.replace('shallow.git', 'gone.git') });
    const gone = await verify('--git', 'sound/1.2.0');

    expect(notPushed.error).toMatchObject({ code: 'TAG_NOT_PUSHED' });
    expect(unknown.error).toMatchObject({ code: 'COMMIT_NOT_FOUND' });
    expect(cut.error).toMatchObject({ code: 'REPOSITORY_SHALLOW' });
    expect(gone.error).toMatchObject({ code: 'REMOTE_REFUSED' });
  });
});

describe('rehearse --git', () => {
  itWith('npm')(
    'installs from git what was built, with what it needs from a stand-in, before there is a tag',
    async () => {
      const about = { license: 'MIT', description: 'Soundings', version: '0.0.0' };
      const artifacts = [{ form: 'npm-tarball' }];
      const repository = new TestRepository(
        {
          'bevelstone.yaml': JSON.stringify({
            schema: 1,
            packages: {
              sound: { folder: 'packages/sound', artifacts, 'send-to': ['office'] },
              chart: {
                folder: 'packages/chart',
                artifacts,
                build: ['mkdir dist; cp main.js dist'],
                'send-to': ['office'],
              },
            },
            destinations: { office: { speaks: 'npm-registry', url: 'http://127.0.0.1:9/' } },
          }),
          'packages/sound/package.json': JSON.stringify({
            name: 'sound',
            ...about,
            main: 'sound.js',
            dependencies: { chart: '^0.1.0' },
          }),
          'packages/sound/sound.js': "module.exports = require('chart');\n",
          'packages/sound/sound.test.js': '\n',
          'packages/chart/package.json': JSON.stringify({ name: 'chart', ...about, main: 'dist/main.js' }),
          'packages/chart/main.js': 'module.exports = 42;\n',
        },
        'feat: soundings',
      );
      repository.checkOut();
      const at = { cwd: repository.folder };
      await bevelstoneJson(['build'], at);

      const good = await bevelstoneJson(['rehearse', '--git', '-p', 'sound', '-p', 'chart'], at);

      const steps = new Map(
        good.result.releases.map((one: { package: string; steps: object[] }) => [one.package, one.steps.at(-1)]),
      );
      expect(steps.get('sound')).toMatchObject({ client: 'npm', destination: 'git', state: 'installed' });
      expect(steps.get('chart')).toMatchObject({
        destination: 'git',
        state: 'failed',
        why: expect.stringContaining('built first'),
      });
      expect(good.error).toMatchObject({ code: 'TRIAL_FAILED' });
      expect(repository.git('tag', '--list')).toBe('');
    },
  );
});
