import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { hostPlatform } from '../../src/world/platform.ts';
import { bevelstone, bevelstoneJson } from '../builders/program.ts';
import { TestRepository, temporaryFolder, testEnvironment } from '../builders/repository.ts';
import { demoWorkspace, nodePackages } from '../builders/workspace.ts';

/** A repository with plain packages, each given as YAML, checked out. */
function workspace(
  packages: Readonly<Record<string, string>>,
  files: Readonly<Record<string, string>> = {},
): TestRepository {
  const entries = Object.entries(packages).map(
    ([name, body]) => `  ${name}:\n    folder: ${name}\n    ecosystem: plain\n${body.replace(/^/gm, '    ')}\n`,
  );
  const sources = Object.fromEntries(Object.keys(packages).map((name) => [`${name}/source.txt`, 'tide\n']));
  const r = new TestRepository(
    { 'bevelstone.yaml': `schema: 1\npackages:\n${entries.join('')}`, ...sources, ...files },
    'feat: begin',
  );
  r.checkOut();
  return r;
}

function unpacked(file: string, inside: string): string {
  return execFileSync('tar', ['-xzOf', file, inside], { encoding: 'utf8' });
}

const archive = 'artifacts: [{ form: tar.gz }]';

describe('build steps', () => {
  it('get their placeholders, folders and environment, and what was built before', async () => {
    const r = new TestRepository(
      {
        'bevelstone.yaml': `schema: 1
packages:
  base: { folder: base, artifacts: [{ form: npm-tarball }] }
  top:
    folder: top
    built-for: debug
    build:
      - "echo {version} {commit} $BEVELSTONE_BUILT_FOR > facts.txt; ls $BEVELSTONE_BUILT/base >> facts.txt; test $BEVELSTONE_BUILT_BASE; echo made > {out}/made.txt"
    artifacts:
      - form: tar.gz
        files: [{ from: facts.txt }, { from: "{out}", to: out }, { from: package.json, as: manifest.json }]
`,
        'base/package.json': '{ "name": "base" }\n',
        'top/package.json': '{ "name": "top", "dependencies": { "base": "^0.1.0" } }\n',
      },
      'feat: begin',
    );
    r.checkOut();

    const { result } = await bevelstoneJson(['build', '--jobs', '1'], { cwd: r.folder });

    const file = path.join(result.releases[1].folder, 'top-0.1.0.tar.gz');
    expect(unpacked(file, 'top-0.1.0/facts.txt')).toMatch(
      new RegExp(`^0\\.1\\.0 ${r.head} debug\\n[\\s\\S]*base-0\\.1\\.0\\.tgz\\n`),
    );
    expect(unpacked(file, 'top-0.1.0/out/made.txt')).toBe('made\n');
    expect(unpacked(file, 'top-0.1.0/manifest.json')).toContain('"version": "0.1.0"');
  });

  it.each([
    {
      what: 'one crate',
      files: {
        'crates/clock/Cargo.toml': '[package]\nname = "clock"\nversion = "0.0.0"\n',
        'crates/clock/Cargo.lock': 'version = 3\n\n[[package]]\nname = "clock"\nversion = "0.0.0"\n',
      },
      lock: 'crates/clock/Cargo.lock',
      expected: ['name = "clock"\nversion = "0.1.0"'],
    },
    {
      what: 'crates that share a version',
      files: {
        'Cargo.toml': '[workspace]\nmembers = ["crates/*"]\n\n[workspace.package]\nversion = "0.0.0"\n',
        'crates/clock/Cargo.toml': '[package]\nname = "clock"\nversion.workspace = true\n',
        'crates/bell/Cargo.toml': '[package]\nname = "bell"\nversion.workspace = true\n',
        'Cargo.lock':
          'version = 3\n\n[[package]]\nname = "bell"\nversion = "0.0.0"\n\n[[package]]\nname = "clock"\nversion = "0.0.0"\n',
      },
      lock: 'Cargo.lock',
      expected: ['name = "bell"\nversion = "0.1.0"', 'name = "clock"\nversion = "0.1.0"'],
    },
  ])('find a lockfile that fits the version of $what', async ({ files, lock, expected }) => {
    const step = `cp ${path.posix.relative('crates/clock', lock)} {out}/lock.txt`;
    const bell =
      'crates/bell/Cargo.toml' in files ? '  bell: { folder: crates/bell, artifacts: [{ form: tar.gz }] }\n' : '';
    const together = bell === '' ? '' : 'together: { all: [clock, bell] }\n';
    const clock = `  clock: { folder: crates/clock, build: ["${step}"], artifacts: [{ form: tar.gz, files: [{ from: "{out}" }] }] }\n`;
    const r = new TestRepository(
      { 'bevelstone.yaml': `schema: 1\npackages:\n${clock}${bell}${together}`, ...files },
      'feat: begin',
    );
    r.checkOut();

    const { result, error } = await bevelstoneJson(['build'], { cwd: r.folder });

    expect(error).toBeNull();
    const { folder } = result.releases.find((release: { package: string }) => release.package === 'clock');
    const text = unpacked(path.join(folder, 'clock-0.1.0.tar.gz'), 'clock-0.1.0/lock.txt');
    for (const entry of expected) expect(text).toContain(entry);
  });

  it('are stopped when their time is over, with exit code 7', async () => {
    const r = workspace({ slow: `build: [{ run: "echo waiting; sleep 600", at-most: 4 s }]\n${archive}` });

    const run = await bevelstoneJson(['build'], { cwd: r.folder });

    expect(run).toMatchObject({
      exitCode: 7,
      error: {
        code: 'STEP_FAILED',
        message: expect.stringContaining('took longer than 4 s'),
        why: expect.stringContaining('waiting'),
      },
    });
  });

  it('of independent packages run at the same time; a failure stops the others', async () => {
    const meeting = temporaryFolder();
    const meet = (own: string, other: string) =>
      `build: ["touch ${meeting}/${own}; for i in $(seq 3000); do test -e ${meeting}/${other} && exit 0; sleep 0.1; done; exit 1"]\n${archive}`;
    const both = workspace({ a: meet('a', 'b'), b: meet('b', 'a') });
    const proof = path.join(meeting, 'late');
    const failing = workspace({
      a: `build: ["touch ${meeting}/begun; sleep 600; touch ${proof}"]\n${archive}`,
      b: `build: ["until test -e ${meeting}/begun; do sleep 0.1; done; exit 3"]\n${archive}`,
    });

    const good = await bevelstoneJson(['build', '--jobs', '2'], { cwd: both.folder });
    const bad = await bevelstoneJson(['build', '--jobs', '2'], { cwd: failing.folder });

    expect(good.result.releases).toHaveLength(2);
    expect(bad.error).toMatchObject({ code: 'STEP_FAILED', message: expect.stringContaining('of b') });
    // The build waits for every step that runs, so it would still wait for one that was not stopped.
    expect(existsSync(proof)).toBe(false);
    expect(failing.git('worktree', 'list').split('\n')).toHaveLength(1);
  });
});

describe('tools', () => {
  it('reports all missing or outdated tools at once, before anything starts', async () => {
    const r = workspace({
      a: `tools: [no-such-tide-tool, "node >=99"]\nbuild: ["touch ${'{out}'}/x"]\n${archive}`,
      b: `tools: [another-missing-tool]\n${archive}`,
    });

    const run = await bevelstoneJson(['build'], { cwd: r.folder });

    expect(run).toMatchObject({ exitCode: 2, error: { code: 'TOOL_MISSING' } });
    expect(run.error?.problems.map(({ message }) => message)).toEqual([
      'a: no-such-tide-tool is not on the PATH',
      expect.stringMatching(/^a: node is \d+\.\d+\.\d+, and >=99 is needed$/),
      'b: another-missing-tool is not on the PATH',
    ]);
  });

  it('that are there are recorded with path, version and digest', async () => {
    const r = workspace({ a: `tools: ["node >=20"]\n${archive}` });

    const { result } = await bevelstoneJson(['build'], { cwd: r.folder });

    const { tools } = JSON.parse(readFileSync(path.join(result.releases[0].folder, 'release.json'), 'utf8'));
    const digest = createHash('sha256').update(readFileSync(process.execPath)).digest('hex');
    expect(tools).toEqual([
      {
        name: 'node',
        path: expect.stringMatching(/^\//),
        version: process.versions.node,
        sha256: expect.stringMatching(/^[0-9a-f]{64}$/),
      },
    ]);
    if (tools[0].path === process.execPath) expect(tools[0].sha256).toBe(digest);
  });
});

describe('platforms', () => {
  const other = hostPlatform() === 'linux-x64' ? 'linux-arm64' : 'linux-x64';
  const body = `platforms: [${hostPlatform()}, ${other}]
build:
  - "echo {platform} > {platform}.txt"
  - { run: "echo only >> ${other}.txt", for: ${other} }
artifacts:
  - form: tar.gz
    files: [{ from: "{platform}.txt", to: . }]
  - form: zip
    files: [{ from: "{platform}.txt", as: "all/{platform}.txt" }]
    name: all.zip`;

  it('of this machine are built, the others are pending', async () => {
    const r = workspace({ a: body });

    const { result } = await bevelstoneJson(['build'], { cwd: r.folder });

    const [release] = result.releases;
    expect(
      release.artifacts.map(({ file, platform }: { file: string; platform: string }) => `${file} ${platform}`),
    ).toEqual([
      `a-0.1.0-${hostPlatform()}.tar.gz ${hostPlatform()}`,
      `a-0.1.0-${hostPlatform()}.zip ${hostPlatform()}`.replace(/^a-0.1.0-.*\.zip/, 'all.zip'),
    ]);
    expect(release.pending).toEqual([
      { form: 'tar.gz', platform: other, why: expect.stringContaining(hostPlatform()) },
      { form: 'zip', platform: other, why: expect.stringContaining('--platform') },
    ]);
  });

  it('that are asked for are built here, each with its own steps', async () => {
    const r = workspace({ a: body.replace('    name: all.zip', '') });

    const { result } = await bevelstoneJson(['build', '--platform', hostPlatform(), '--platform', other], {
      cwd: r.folder,
    });

    const [release] = result.releases;
    expect(release.pending).toEqual([]);
    expect(release.artifacts).toHaveLength(4);
    const file = path.join(release.folder, `a-0.1.0-${other}.tar.gz`);
    expect(unpacked(file, `a-0.1.0-${other}/${other}.txt`)).toBe(`${other}\nonly\n`);
  });

  it('that no package has are refused with the nearest', async () => {
    const r = workspace({ a: body });

    const run = await bevelstoneJson(['build', '--platform', `${other}x`], { cwd: r.folder });

    expect(run.error).toMatchObject({ code: 'PLATFORM_UNKNOWN', fix: `Did you mean "${other}"?` });
  });
});

describe('brought artifacts', () => {
  const zip = (name: string) =>
    `cd {out} && mkdir -p package && printf '{ "name": "a", "version": "%s" }' "$BEVELSTONE_VERSION" > package/package.json && tar --sort=name --mtime=@0 --owner=0 --group=0 -czf ${name} package`;
  const body = (step: string, form = 'npm-tarball') =>
    `build: [${JSON.stringify(step)}]\nartifacts: [{ form: ${form}, brought: "{out}/*.tgz" }]`;

  it('are taken byte for byte, with what is inside', async () => {
    const copy = path.join(temporaryFolder(), 'copy.tgz');
    const r = workspace({ a: body(`${zip('a-0.1.0.tgz')} && cp a-0.1.0.tgz ${copy}`) });

    const { result } = await bevelstoneJson(['build'], { cwd: r.folder });

    const [artifact] = result.releases[0].artifacts;
    expect(readFileSync(path.join(result.releases[0].folder, artifact.file)).equals(readFileSync(copy))).toBe(true);
    expect(artifact).toMatchObject({ file: 'a-0.1.0.tgz', form: 'npm-tarball', entries: expect.any(Number) });
    const list = JSON.parse(readFileSync(path.join(result.releases[0].folder, 'CONTENTS.json'), 'utf8'));
    expect(
      list.artifacts[0].entries.find((entry: { path: string }) => entry.path === 'package/package.json'),
    ).toMatchObject({ origin: { type: 'step' } });
    expect(unpacked(path.join(result.releases[0].folder, 'a-0.1.0.tgz'), 'package/package.json')).toContain('"0.1.0"');
  });

  it.each([
    ['no file', body('true'), 'BROUGHT_NOT_ONE', /no build step produced/],
    ['two files', body(`${zip('a.tgz')} && cp a.tgz b.tgz`), 'BROUGHT_NOT_ONE', /a\.tgz, .*b\.tgz/],
    ['another version', body(zip('a.tgz').replace('"$BEVELSTONE_VERSION"', '9.9.9')), 'BROUGHT_DIFFERS', /9\.9\.9/],
    ['another form', body(zip('a.tgz'), 'wheel'), 'BROUGHT_DIFFERS', /form npm-tarball, not wheel/],
    ['no archive', body('echo tide > {out}/a.tgz'), 'ARCHIVE_DAMAGED', /begin/],
  ])('are refused when there is %s', async (_, config, code, why) => {
    const r = workspace({ a: config });

    const run = await bevelstoneJson(['build'], { cwd: r.folder });

    expect(run.error).toMatchObject({ code, why: expect.stringMatching(why) });
    expect(readdirSync(r.folder)).not.toContain('a-0.1.0');
  });
});

describe('build --twice', () => {
  it('reports identical bytes', async () => {
    const r = workspace({ a: `build: ["echo $SOURCE_DATE_EPOCH > stamp.txt"]\n${archive}` });

    const { result, exitCode } = await bevelstoneJson(['build', '--twice'], { cwd: r.folder });

    expect(exitCode).toBe(0);
    expect(result.twice).toEqual({ same: true, differences: [] });
    expect(readdirSync(path.join(r.folder, 'bevelstone-out'))).toEqual(['a-0.1.0']);
  });

  it.each([
    ['time', 'date -u +%Y-%m-%dT%H:%M:%S.%N > x.txt'],
    ['path', 'pwd > x.txt'],
    ['order', 'case $PWD in *another*) seq 3 -1 1 ;; *) seq 3 ;; esac > x.txt'],
    ['unknown', 'head -c 20 /dev/urandom > x.txt'],
  ])('names the entry that differs and its likely cause: %s', async (cause, step) => {
    const r = workspace({ a: `build: [${JSON.stringify(step)}]\n${archive}` });

    const run = await bevelstoneJson(['build', '--twice'], { cwd: r.folder });

    expect(run).toMatchObject({
      exitCode: 3,
      ok: false,
      error: { code: 'BUILD_DIFFERS', why: expect.stringContaining('a-0.1.0/x.txt') },
    });
    expect(run.result.twice).toMatchObject({ same: false, differences: [{ entry: 'a-0.1.0/x.txt', cause }] });
  });

  it.each([
    ['time', '--mtime="@$(echo $PWD | wc -c)" --owner=0 --group=0'],
    ['owner', '--mtime=@0 --owner=$(echo $PWD | wc -c) --group=0'],
  ])('looks into the headers of a brought archive: %s', async (cause, options) => {
    const step = `mkdir p && echo '{ "name": "a", "version": "0.1.0" }' > p/package.json && tar ${options} -czf {out}/a.tgz p`;
    const r = workspace({
      a: `build: [${JSON.stringify(step)}]\nartifacts: [{ form: npm-tarball, brought: "{out}/a.tgz" }]`,
    });

    const { result } = await bevelstoneJson(['build', '--twice'], { cwd: r.folder });

    expect(result.twice.differences).toMatchObject([{ cause }]);
  });
});

describe('build --uncommitted', () => {
  it('builds the working folder, marked in version and record, and goes to a folder only', async () => {
    const { folder, top, env, git } = await demoWorkspace();
    writeFileSync(path.join(folder, 'packages/gauges/src/new.js'), '// half a thought\n');

    const { result, warnings } = await bevelstoneJson(['build', '--uncommitted', ...nodePackages], { cwd: folder });
    const refused = await bevelstoneJson(['publish', '--push-tag', '--yes', '-p', 'gauges'], { cwd: folder, env });

    const version = `0.2.1-0.preview.uncommitted.2+${git('rev-parse', '--short', 'HEAD')}.dirty`;
    expect(result.releases.map((release: { version: string }) => release.version)[1]).toBe(version);
    expect(warnings.join()).toContain('not committed, and in this build: packages/gauges/src/new.js');
    const release = result.releases[1];
    expect(JSON.parse(readFileSync(path.join(release.folder, 'release.json'), 'utf8'))).toMatchObject({
      uncommitted: true,
      version,
    });
    expect(unpacked(path.join(release.folder, `gauges-${version}.tgz`), 'package/src/new.js')).toContain('half');
    expect(refused).toMatchObject({ exitCode: 3, error: { code: 'UNCOMMITTED_REFUSED' } });
    expect(git('status', '--porcelain')).toBe('?? packages/gauges/src/new.js');
    expect(readdirSync(top)).not.toContain('shelf');
  });
});

describe('build --list', () => {
  it('shows the selection with origins, and packs nothing', async () => {
    const { folder } = await demoWorkspace();

    const { result } = await bevelstoneJson(['build', '--list', '-p', 'tidemark'], { cwd: folder });
    const shown = await bevelstone(['build', '--list', '-p', 'tidemark'], { cwd: folder });

    const [tarball] = result.selections[0].artifacts;
    expect(
      tarball.entries.map((entry: { path: string; origin: { type: string } }) => `${entry.path} ${entry.origin.type}`),
    ).toEqual([
      'package/LICENSE source',
      'package/README.md source',
      'package/dist/browser.js step',
      'package/dist/index.d.ts step',
      'package/dist/node.js step',
      'package/package.json source',
    ]);
    expect(shown.stdout).toContain('tidemark-1.4.0.tgz');
    expect(shown.stderr).not.toMatch(/\([, ]*\)/);
    expect(shown.stdout).toMatch(/dist\/browser\.js\s+step `node tools\/build\.js`/);
    expect(readdirSync(folder)).not.toContain('bevelstone-out');
  });

  it('names helpers and generated files too', async () => {
    const { folder } = await demoWorkspace();

    const { result } = await bevelstoneJson(['build', '--list', '-p', 'harmonics', '-p', 'tidemark-py'], {
      cwd: folder,
    });

    type Listed = { file: string; entries: { path: string; origin: { type: string } }[] };
    const artifacts: Listed[] = result.selections.flatMap((one: { artifacts: Listed[] }) => one.artifacts);
    const generated = new Map(
      artifacts.map(({ file, entries }) => [
        file,
        entries.filter(({ origin }) => origin.type === 'generated').map((entry) => entry.path),
      ]),
    );
    expect(generated.get('tidemark_py-1.3.1-py3-none-any.whl')).toEqual(
      expect.arrayContaining([expect.stringMatching(/METADATA$/), expect.stringMatching(/RECORD$/)]),
    );
    const deb = [...generated].find(([file]) => file.endsWith('.deb'))?.[1] ?? null;
    if (deb !== null) expect(deb).toEqual(expect.arrayContaining(['control.tar.gz/control', 'control.tar.gz/md5sums']));
    expect([...generated.keys()].every((file) => file !== '')).toBe(true);
  });
});

describe('what git keeps elsewhere', () => {
  it('is filled in where this machine has it, and reported where not', async () => {
    const inner = new TestRepository({ 'inner.txt': 'from the submodule\n' });
    inner.checkOut();
    const large = 'a large table\n';
    const digest = createHash('sha256').update(large).digest('hex');
    const pointer = (oid: string) =>
      `version https://large.fenmarsh.example/spec/v1\noid sha256:${oid}\nsize ${large.length}\n`;
    const r = workspace(
      { a: archive },
      { '.gitattributes': '*.bin filter=tide\n', 'a/here.bin': pointer(digest), 'a/gone.bin': pointer('0'.repeat(64)) },
    );
    const store = path.join(r.folder, '.git/lfs/objects', digest.slice(0, 2), digest.slice(2, 4));
    mkdirSync(store, { recursive: true });
    writeFileSync(path.join(store, digest), large);
    execFileSync('git', ['-c', 'protocol.file.allow=always', 'submodule', '--quiet', 'add', inner.folder, 'a/inner'], {
      cwd: r.folder,
      env: testEnvironment(),
    });
    r.git('update-index', '--add', '--cacheinfo', `160000,${'1'.repeat(40)},a/other`);
    r.git('commit', '--quiet', '-m', 'feat: parts from elsewhere');

    const { result, warnings } = await bevelstoneJson(['build'], { cwd: r.folder });

    const file = path.join(result.releases[0].folder, 'a-0.1.0.tar.gz');
    expect(unpacked(file, 'a-0.1.0/inner/inner.txt')).toBe('from the submodule\n');
    expect(unpacked(file, 'a-0.1.0/here.bin')).toBe(large);
    expect(warnings.join('\n')).toMatch(/submodules that this machine has not fetched are missing: a\/other/);
    expect(warnings.join('\n')).toMatch(/pointers still: a\/gone\.bin/);
  });
});

it('refuses two contents rules for one path and a stamp that finds nothing, before anything is written', async () => {
  const stamp = workspace({
    a: `stamp: [{ file: source.txt, find: "^version = .*$", write: "version = {version}" }]\n${archive}`,
  });
  const good = workspace({ a: `stamp: [{ file: source.txt, find: tide, write: "tide {version}" }]\n${archive}` });

  const refused = await bevelstoneJson(['build'], { cwd: stamp.folder });
  const { result } = await bevelstoneJson(['build'], { cwd: good.folder });

  expect(refused).toMatchObject({ exitCode: 2, error: { code: 'STAMP_NO_MATCH' } });
  expect(unpacked(path.join(result.releases[0].folder, 'a-0.1.0.tar.gz'), 'a-0.1.0/source.txt')).toBe('tide 0.1.0\n');
  expect(good.git('status', '--porcelain', '--untracked-files=no')).toBe('');
});
