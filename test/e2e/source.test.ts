// What `ledger lines --source` prints is pasted as it is, by people who have nothing but a shell.
import { execFile, execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdirSync, readdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { promisify } from 'node:util';
import { describe, expect, it } from 'vitest';
import { startGitServer } from '../builders/git-server.ts';
import { bevelstone, bevelstoneJson } from '../builders/program.ts';
import { TestRepository, temporaryFolder, testEnvironment } from '../builders/repository.ts';
import { itUnless, rustEnvironment, whyNoCargo } from '../builders/rust-tools.ts';
import { itWith } from '../builders/tools.ts';
import { serveFolder } from '../builders/web-server.ts';

type Line = { readonly destination: string; readonly client: string; readonly into: string; readonly text: string };

const { PATH = '' } = process.env;

function whereIs(tool: string): string {
  return execFileSync('sh', ['-c', `command -v ${tool}`], { encoding: 'utf8' }).trim();
}

/** Runs what was pasted, in an empty HOME. */
async function paste(text: string, more: NodeJS.ProcessEnv = {}) {
  const top = temporaryFolder();
  const env = { PATH, HOME: path.join(top, 'home'), PREFIX: path.join(top, 'installed'), ...more };
  mkdirSync(env.HOME);
  const end = await promisify(execFile)('sh', ['-c', text], { cwd: top, env, encoding: 'utf8' }).then(
    ({ stdout, stderr }) => ({ out: stdout + stderr, code: 0 }),
    ({ stdout, stderr, code }) => ({ out: `${stdout}${stderr}`, code: code as number }),
  );
  return { ...end, top, installed: (file: string) => readFileSync(path.join(env.PREFIX, file), 'utf8') };
}

/** A build backend of the project's own (PEP 517), so that nothing is fetched. */
const backend = `import zipfile
def build_wheel(folder, config=None, metadata=None):
    name = 'wave-0.1.0-py3-none-any.whl'
    with zipfile.ZipFile(folder + '/' + name, 'w') as wheel:
        wheel.writestr('wave_heights.py', open('src/wave/__init__.py').read())
        wheel.writestr('wave-0.1.0.dist-info/METADATA', 'Metadata-Version: 2.1\\nName: wave\\nVersion: 0.1.0\\n')
        wheel.writestr('wave-0.1.0.dist-info/WHEEL', 'Wheel-Version: 1.0\\nGenerator: x\\nRoot-Is-Purelib: true\\nTag: py3-none-any\\n')
        wheel.writestr('wave-0.1.0.dist-info/RECORD', '')
    return name
`;

/** A release of a package with steps, and of one that is used as it is; from a folder of the repository. */
async function released(tree: 'package' | 'commit') {
  const top = temporaryFolder();
  const remote = path.join(top, 'tides.git');
  const site = path.join(top, 'site');
  const [url, gitUrl] = [await serveFolder(site), await startGitServer(top)];
  const input = path.join(site, 'soundings-1.2.tar.gz');
  mkdirSync(path.join(top, 'soundings-1.2'));
  writeFileSync(path.join(top, 'soundings-1.2', 'list.txt'), 'bar 4\nquay 6\n');
  execFileSync('tar', ['-czf', input, '-C', top, 'soundings-1.2']);
  const config = {
    schema: 1,
    repository: `${gitUrl}tides.git`,
    packages: {
      depth: {
        folder: 'packages/depth',
        ecosystem: 'plain',
        tools: ['sh'],
        inputs: [
          {
            from: `${url}soundings-{version}.tar.gz`,
            version: '1.2',
            sha256: createHash('sha256').update(readFileSync(input)).digest('hex'),
            into: 'vendor/soundings',
            'drop-top': true,
          },
        ],
        patches: 'quay.patch',
        build: [{ name: 'table', run: '(sh make.sh {version}; cat vendor/soundings/list.txt) > {out}/table.txt' }],
        artifacts: [
          { form: 'source-archive', tree },
          { form: 'tar.gz', files: [{ from: '{out}', to: 'share' }, { from: 'README.md' }] },
        ],
        'send-to': ['site'],
      },
      sound: { folder: 'packages/sound', artifacts: [{ form: 'npm-tarball' }], 'send-to': ['site'] },
      swell: { folder: 'packages/swell', artifacts: [{ form: 'crate' }], 'send-to': ['site'] },
      wave: { folder: 'packages/wave', artifacts: [{ form: 'wheel' }], 'send-to': ['site'] },
    },
    destinations: { site: { speaks: 'folder', url: 'env:SITE', 'index-url': url } },
  };
  const about = { description: 'Depths', license: 'MIT' };
  const repository = new TestRepository(
    {
      'bevelstone.yaml': JSON.stringify(config),
      'packages/depth/make.sh': 'echo "depth $1 at $SOURCE_DATE_EPOCH"\n',
      'packages/depth/README.md': '# Depths\n',
      'packages/depth/quay.patch':
        'Subject: Deeper at the quay\n\n--- a/list.txt\n+++ b/list.txt\n@@ -1,2 +1,2 @@\n bar 4\n-quay 6\n+quay 7\n',
      'packages/sound/package.json': JSON.stringify({ name: 'sound', version: '0.0.0', ...about, main: 'sound.js' }),
      'packages/sound/sound.js': 'module.exports = 42;\n',
      'packages/sound/README.md': '# Sound\n\nHow deep it is.\n',
      'packages/wave/pyproject.toml':
        '[build-system]\nrequires = []\nbuild-backend = "backend"\nbackend-path = ["."]\n\n[project]\nname = "wave"\nversion = "0.0.0"\ndescription = "Waves"\nlicense = "MIT"\nreadme = "README.md"\n',
      'packages/wave/backend.py': backend,
      'packages/wave/README.md': '# Wave\n\nHow high it is.\n',
      'packages/wave/src/wave/__init__.py': 'height = 42\n',
      'packages/swell/Cargo.toml':
        '[package]\nname = "swell"\nversion = "0.0.0"\nedition = "2021"\ndescription = "Swell"\nlicense = "MIT"\n',
      'packages/swell/src/lib.rs': 'pub fn swell() -> u32 { 42 }\n',
    },
    'feat: depths',
  );
  execFileSync('git', ['init', '--quiet', '--bare', '--initial-branch=main', remote], { env: testEnvironment() });
  repository.git('reset', '--quiet', '--hard');
  repository.git('remote', 'add', 'origin', remote);
  repository.git('push', '--quiet', '--set-upstream', 'origin', 'main');
  const at = { cwd: repository.folder, env: { SITE: site, BEVELSTONE_TRUST: '*' } };
  const run = await bevelstoneJson(['release', '--yes', '--trust-config'], at);
  expect(run.error).toBeNull();
  const linesOf = async (name: string) => {
    const { result, error } = await bevelstoneJson(['ledger', 'lines', name, '--source'], at);
    expect(error).toBeNull();
    return result.source as {
      readonly lines: readonly Line[];
      readonly without: readonly { method: string; why: string }[];
      readonly archives: readonly { readonly sri: string; readonly sha256: string; readonly address: string }[];
      readonly tree: string;
      readonly commit: string;
    };
  };
  return { repository, remote, site, at, linesOf };
}

describe('the sources of a release', () => {
  itWith('python3').each(['package', 'commit'] as const)(
    'are built from an archive of the %s as they were built here',
    async (tree) => {
      const { site, linesOf } = await released(tree);
      const { lines, archives } = await linesOf('depth');
      const block = lines.find(({ client }) => client === 'sh')?.text ?? '';

      const built = await paste(block);

      expect(built.code).toBe(0);
      const ours = execFileSync(
        'tar',
        ['-xzOf', path.join(site, 'depth/0.1.0/depth-0.1.0.tar.gz'), 'depth-0.1.0/share/table.txt'],
        { encoding: 'utf8' },
      );
      expect(built.installed('share/table.txt')).toBe(ours);
      expect(built.installed('README.md')).toBe('# Depths\n');
      const [archive] = archives;
      expect(archive?.sri).toBe(`sha256-${Buffer.from(archive?.sha256 ?? '', 'hex').toString('base64')}`);

      // A web server that has something else now.
      const file = path.join(site, 'depth/0.1.0/depth-0.1.0-source.tar.gz');
      const how = JSON.parse(
        execFileSync('tar', ['-xzOf', file, 'depth-0.1.0/from-source.json'], { encoding: 'utf8' }),
      );
      expect(how).toMatchObject({
        schema: 'bevelstone/from-source/1',
        folder: tree === 'commit' ? 'packages/depth' : '',
      });
      writeFileSync(file, 'something else');
      const refused = await paste(block);
      expect(refused.code).toBe(1);
      expect(refused.out).toMatch(new RegExp(`wrong SHA-256: [0-9a-f]{64}, expected ${archive?.sha256}`));
      expect(() => refused.installed('README.md')).toThrow();
    },
  );

  itWith('python3')('are built from git, and a tag that was moved is refused with both commits', async () => {
    const { repository, remote, linesOf } = await released('package');
    const { lines, commit } = await linesOf('depth');
    const block = lines.find(({ client }) => client === 'git')?.text ?? '';

    const built = await paste(block);
    expect(built.out).toContain('depth-0.1.0 is in');
    expect(built.installed('share/table.txt')).toMatch(/^depth 0\.1\.0 at \d+\nbar 4\nquay 7\n$/);
    const byPath = block.replaceAll(/http:\/\/[\d.:]+\/tides\.git/g, `file://${remote}`);
    expect(byPath).not.toBe(block);
    expect((await paste(byPath)).installed('share/table.txt')).toBe(built.installed('share/table.txt'));

    const other = execFileSync('git', ['rev-parse', `${commit}^`], { cwd: repository.folder, encoding: 'utf8' }).trim();
    execFileSync('git', ['tag', '--force', 'depth/0.1.0', other], {
      cwd: remote,
      env: testEnvironment(),
      stdio: 'ignore',
    });
    const refused = await paste(block);
    expect(refused.code).toBe(1);
    expect(refused.out).toContain(`wrong commit: ${other}, expected ${commit}`);
  });

  itWith('python3')(
    'are taken from git by npm, from a folder of the repository; what is built first is not',
    async () => {
      const { linesOf } = await released('package');
      const { lines } = await linesOf('sound');
      const line = lines.find(({ client }) => client === 'npm')?.text ?? '';

      const installed = await paste(`${line} && node -p "require('sound')"`);

      expect(installed.out).toMatch(/42\n$/);
      expect((await linesOf('depth')).lines.some(({ client }) => client === 'npm')).toBe(false);
    },
  );

  itWith('python3', 'python3-venv')('are taken from git by pip, from a folder of the repository', async () => {
    const { linesOf } = await released('package');
    const { lines } = await linesOf('wave');
    const line = lines.find(({ client }) => client === 'pip')?.text ?? '';

    const installed = await paste(
      `python3 -m venv v && . v/bin/activate && ${line} && python -c 'import wave_heights; print(wave_heights.height)'`,
    );

    expect(installed.out).toMatch(/^42$/m);
  });

  itUnless(whyNoCargo())('are taken from git by cargo', async () => {
    const { linesOf } = await released('package');
    const { lines } = await linesOf('swell');
    const line = lines.find(({ client }) => client === 'cargo')?.text ?? '';
    const head = '[package]\nname = "visitor"\nversion = "1.0.0"\nedition = "2021"\n\n[dependencies]\n';
    const main = 'fn main() { println!("{}", swell::swell()) }';
    const text = `mkdir src && cat > Cargo.toml <<'E'\n${head}${line}\nE\necho '${main}' > src/main.rs && cargo run --quiet`;

    expect((await paste(text, rustEnvironment)).out).toMatch(/42\n$/);
  });

  itWith('python3').each(['package', 'commit'] as const)(
    'give the very bytes of the release from an archive of the %s, without git and without a repository',
    async (tree) => {
      const { site, linesOf } = await released(tree);
      const { archives } = await linesOf('depth');
      const { address = '', sha256 = '' } = archives[0] ?? {};
      // Only what a build of others needs is on the PATH: no git.
      const tools = path.join(temporaryFolder(), 'bin');
      mkdirSync(tools);
      for (const tool of ['sh', 'cat', 'uname']) symlinkSync(whereIs(tool), path.join(tools, tool));
      const at = { cwd: temporaryFolder(), env: { PATH: tools, OFFICE_TOKEN: 'a-secret' } };

      const asked = await bevelstoneJson(['build', '--from', address], at);
      const { result, error } = await bevelstoneJson(['build', '--from', address, '--sha256', sha256, '--yes'], at);
      const again = await bevelstoneJson(['build', '--from', address, '--yes'], at);
      const [digit = ''] = sha256;
      const wrong = `${digit === '0' ? '1' : '0'}${sha256.slice(1)}`;
      const other = await bevelstoneJson(['build', '--from', address, '--sha256', wrong, '--yes', '--to', 'b'], at);

      expect(asked.error).toMatchObject({ code: 'CONFIRMATION_NEEDED' });
      expect(error).toBeNull();
      expect(result.releases[0].artifacts.map(({ file }: { file: string }) => file)).toEqual(['depth-0.1.0.tar.gz']);
      expect(readFileSync(path.join(at.cwd, 'bevelstone-out/depth-0.1.0/depth-0.1.0.tar.gz'))).toEqual(
        readFileSync(path.join(site, 'depth/0.1.0/depth-0.1.0.tar.gz')),
      );
      expect(again.error).toMatchObject({ code: 'FILE_EXISTS' });
      expect(other.error).toMatchObject({ code: 'INPUT_DIFFERS' });
      expect(other.error?.why).toContain(sha256);
      expect(readdirSync(at.cwd)).toEqual(['bevelstone-out']);
    },
  );

  itWith('python3')('are shown as people read them, with what there are no lines for', async () => {
    const { at } = await released('package');

    const { stdout } = await bevelstone(['ledger', 'lines', 'sound', '--source'], at);

    expect(stdout).toContain('To build sound 0.1.0 from its sources');
    expect(stdout).toContain('no lines for source archive: no destination has one');
    expect(stdout).toContain('npm install');
  });
});

describe('an archive that cannot be built from', () => {
  /** A valid statement, to be spoilt. */
  const good = {
    schema: 'bevelstone/from-source/1',
    package: 'depth',
    name: 'depth',
    ecosystem: 'plain',
    version: '0.1.0',
    commit: 'c0ffee0000000000000000000000000000000001',
    time: 1_775_000_000,
    folder: '',
    platforms: [],
    tools: [],
    needs: { build: [], run: [] },
    inputs: [],
    steps: [{ name: 'x', run: 'echo made > {out}/x', in: '.', env: {}, platform: null, seconds: 60 }],
    install: null,
    helpers: [],
    made: ['from-source.json'],
    release: {
      program: '0.1.0',
      artifacts: [{ form: 'tar.gz', files: [{ from: '{out}' }] }],
      'built-for': 'release',
      manifest: null,
      supplier: null,
      stream: { type: 'stable', name: 'stable' },
      notes: null,
    },
  };

  function archiveOf(text: string | null): string {
    const top = temporaryFolder();
    mkdirSync(path.join(top, 'depth-0.1.0'));
    writeFileSync(path.join(top, 'depth-0.1.0', text === null ? 'README' : 'from-source.json'), text ?? '');
    const file = path.join(top, 'depth-0.1.0-source.tar.gz');
    execFileSync('tar', ['-czf', file, '-C', top, 'depth-0.1.0']);
    return file;
  }

  const from = (text: string | null, cwd: string) =>
    bevelstoneJson(['build', '--yes', '--from', archiveOf(text)], { cwd });

  it.each([
    ['has no statement', null],
    ['has one that is no JSON', '{'],
    ['has one of a later version', JSON.stringify({ ...good, schema: 'bevelstone/from-source/2' })],
    ['names a folder outside', JSON.stringify({ ...good, folder: '../..' })],
    ['would remove a file outside', JSON.stringify({ ...good, made: ['../../etc/passwd'] })],
    ['runs a step elsewhere', JSON.stringify({ ...good, steps: [{ ...good.steps[0], in: '../..' }] })],
    ['names no command', JSON.stringify({ ...good, steps: [{ ...good.steps[0], run: 7 }] })],
    ['makes an unknown form', JSON.stringify({ ...good, release: { ...good.release, artifacts: [{ form: 'x' }] } })],
    ['writes its artifact elsewhere', JSON.stringify({ ...good, version: '1/../../../x' })],
    ['has a package name that is a path', JSON.stringify({ ...good, package: '../x' })],
    ['has a prototype for a name', JSON.stringify({ ...good, package: '__proto__' })],
    [
      'packs a file of the machine',
      JSON.stringify({
        ...good,
        release: { ...good.release, artifacts: [{ form: 'tar.gz', files: [{ from: '/etc/passwd' }] }] },
      }),
    ],
  ])('%s', async (_, text) => {
    const cwd = temporaryFolder();

    const { error } = await from(text, cwd);

    expect(error).toMatchObject({ code: 'FROM_SOURCE_INVALID' });
    expect(readdirSync(cwd)).toEqual([]);
  });

  it('differs from a good one, whose steps get nothing of the environment', async () => {
    const cwd = temporaryFolder();
    const steps = [{ ...good.steps[0], run: 'env > {out}/x' }];

    const { error } = await bevelstoneJson(
      ['build', '--yes', '--from', archiveOf(JSON.stringify({ ...good, steps }))],
      {
        cwd,
        env: { OFFICE_TOKEN: 'a-secret' },
      },
    );

    expect(error).toBeNull();
    const made = path.join(cwd, 'bevelstone-out/depth-0.1.0/depth-0.1.0.tar.gz');
    const text = execFileSync('tar', ['-xzOf', made, 'depth-0.1.0/x'], { encoding: 'utf8' });
    expect(text).toContain('BEVELSTONE_VERSION=0.1.0');
    expect(text).not.toContain('OFFICE_TOKEN');
  });

  it.each([
    ['gone.tar.gz', 'INPUT_UNREACHABLE'],
    ['http://127.0.0.1:9/x.tar.gz', 'INPUT_UNREACHABLE'],
    ['.', 'INPUT_UNREACHABLE'],
  ])('is not there: %s', async (source, code) => {
    const cwd = temporaryFolder();

    expect((await bevelstoneJson(['build', '--yes', '--from', source], { cwd })).error).toMatchObject({ code });
    expect(readdirSync(cwd)).toEqual([]);
  });
});
