import { describe, expect, it } from 'vitest';
import { ecosystemDefinitions } from '../../../src/core/ecosystem/definitions.ts';
import { newFiles } from '../../../src/core/ecosystem/new-files.ts';
import type { Proposal } from '../../../src/core/ecosystem/proposal.ts';
import {
  autoconfFormat,
  cmakeFormat,
  dotnetProjectFormat,
  goModFormat,
  gradleFormat,
  mesonFormat,
} from '../../../src/core/manifest/build-files.ts';
import { type Ecosystem, ecosystems } from '../../../src/core/name/ecosystem.ts';

/** What `init` proposes for a package whose manifest is the first of the files. */
async function propose(ecosystem: Ecosystem, files: Readonly<Record<string, string>>, folder = ''): Promise<Proposal> {
  const [manifest = ''] = Object.keys(files);
  const find = await ecosystemDefinitions[ecosystem].propose?.();
  if (find === undefined) throw new Error(`${ecosystem} has no proposal of its own`);
  return find({
    name: 'tide-mark',
    folder,
    manifest,
    manifestText: files[manifest] ?? '',
    files: new Set(Object.keys(files)),
    read: async (file) => files[file] ?? null,
    platform: 'linux-x64',
  });
}

const json = (value: object) => JSON.stringify({ name: 'tide-mark', ...value });

describe('what init proposes', () => {
  it.each<[string, Ecosystem, Readonly<Record<string, string>>, readonly string[], readonly string[]]>([
    [
      'nothing to build',
      'node',
      { 'package.json': json({ main: 'index.js' }), 'index.js': '' },
      [],
      ['form: npm-tarball'],
    ],
    [
      'the script that makes what is not committed, and what it needs',
      'node',
      {
        'package.json': json({ files: ['dist'], scripts: { build: 'x' }, devDependencies: { x: '1' } }),
        'package-lock.json': '',
      },
      ['npm ci', 'npm run build'],
      ['form: npm-tarball'],
    ],
    [
      'another script, without a lockfile',
      'node',
      {
        'package.json': json({
          exports: { import: './dist/a.js' },
          scripts: { prepack: 'x' },
          dependencies: { x: '1' },
        }),
      },
      ['npm install --no-save', 'npm run prepack'],
      ['form: npm-tarball'],
    ],
    [
      'wheel and sdist of a pure package',
      'python',
      { 'pyproject.toml': '[project]\nname = "tide-mark"\n', 'tide_mark/__init__.py': '' },
      [],
      ['form: wheel', 'form: sdist'],
    ],
    [
      'the backend for what compiles',
      'python',
      { 'pyproject.toml': '[build-system]\nbuild-backend = "maturin"\n[project]\nname = "tide-mark"\n' },
      ['python3 -m build'],
      ['{ form: wheel, brought: "dist/*.whl" }', '{ form: sdist, brought: "dist/*.tar.gz" }'],
    ],
    [
      'the backend for a package without a table',
      'python',
      { 'setup.py': 'setup(name="tide-mark")' },
      ['python3 -m build'],
      ['{ form: wheel, brought: "dist/*.whl" }', '{ form: sdist, brought: "dist/*.tar.gz" }'],
    ],
    ['a parent alone', 'jvm', { 'pom.xml': '<project><packaging>pom</packaging></project>' }, [], ['form: pom']],
    [
      'Maven',
      'jvm',
      { 'pom.xml': '<project></project>' },
      ['mvn -B -q -DskipTests package'],
      ['form: jar', 'form: sources-jar', 'form: pom'],
    ],
    [
      'Gradle by its wrapper',
      'jvm',
      { 'build.gradle': "group = 'example.fenmarsh'\n", gradlew: '' },
      ['sh ./gradlew --no-daemon -q assemble'],
      [
        '{ form: jar, coordinates: { groupId: example.fenmarsh, artifactId: tide-mark }, files: [{ from: build/classes/java/main, to: "." }] }',
        '{ form: sources-jar, coordinates: { groupId: example.fenmarsh, artifactId: tide-mark } }',
        '{ form: pom, coordinates: { groupId: example.fenmarsh, artifactId: tide-mark } }',
      ],
    ],
    [
      'the SDK of .NET',
      'dotnet',
      { 'Tide.csproj': '<Project/>' },
      ['dotnet pack -c Release -p:ContinuousIntegrationBuild=true'],
      ['{ form: nupkg, brought: "bin/Release/*.nupkg" }'],
    ],
    [
      'only the sources where nothing installs',
      'native',
      { 'CMakeLists.txt': 'project(x)' },
      [],
      ['form: source-archive'],
    ],
  ])('is %s', async (_, ecosystem, files, steps, artifacts) => {
    const proposal = await propose(ecosystem, files);

    expect(proposal.build.map(({ run }) => run)).toEqual(steps);
    expect(proposal.artifacts).toEqual(artifacts);
  });

  it.each([
    [{ 'CMakeLists.txt': 'project(x)\ninstall(TARGETS x)\n' }, 'cmake --install build --prefix {out}/{platform}'],
    [{ 'meson.build': "project('x', 'c')" }, 'DESTDIR={out}/{platform} meson install -C build'],
    [{ 'configure.ac': 'AC_INIT' }, 'autoreconf -fi && ./configure --prefix=/'],
    [{ 'configure.ac': 'AC_INIT', configure: '' }, './configure --prefix=/ CFLAGS=-O2 CXXFLAGS=-O2 && make'],
    [
      { Makefile: 'prefix = /usr\ninstall:\n\tcp x $(DESTDIR)$(prefix)\n' },
      'make install prefix=/ DESTDIR={out}/{platform}',
    ],
    [{ Makefile: 'PREFIX ?= /usr\ninstall:\n\tcp x $(PREFIX)\n' }, 'make install PREFIX={out}/{platform}'],
  ])('installs %j below the folder of the steps: %s', async (files, part) => {
    const proposal = await propose('native', files);

    expect(proposal.build[0]?.run).toContain(part);
    expect(proposal.platforms).toEqual(['linux-x64']);
  });

  it('says what it cannot make', async () => {
    const { notes } = await propose('node', { 'package.json': json({ main: 'lib/index.js' }) });

    expect(notes.join()).toContain('lib/index.js');
  });
});

describe('a build file', () => {
  it.each([
    [
      cmakeFormat,
      'project(tides\n VERSION 1.3 DESCRIPTION "Heights" LANGUAGES C)',
      { name: 'tides', version: '1.3', description: 'Heights' },
    ],
    [
      mesonFormat,
      "project('tides', ['c', 'cpp'], version : '1.3.0', license: 'MIT')",
      { name: 'tides', version: '1.3.0', licence: 'MIT' },
    ],
    [autoconfFormat, 'AC_INIT([tides], [1.3.0], [x])', { name: 'tides', version: '1.3.0' }],
    [gradleFormat, 'group = "x"\nversion = "1.3.0"\n', { name: null, version: '1.3.0' }],
    [
      dotnetProjectFormat,
      '<Project><PackageId>Tides</PackageId><Version>1.3.0</Version></Project>',
      { name: 'Tides', version: '1.3.0' },
    ],
    [goModFormat, 'module git.example/tides/v2\n', { name: 'git.example/tides/v2', version: null }],
  ])('%# names its project', (format, text, known) => {
    expect(format.read(text, 'f')).toMatchObject(known);
  });

  it.each([
    ['git.example/tides', '1.9.0', true],
    ['git.example/tides', '2.0.0', false],
    ['git.example/tides/v2', '2.1.0', true],
    ['git.example/tides/v2', '3.0.0', false],
    ['git.example/tides/v2', '1.0.0', false],
    ['gopkg.example/tides.v1', '1.2.0', true],
  ])('of the module %s can have the version %s: %s', (path, version, isPossible) => {
    const stamp = () => goModFormat.stamp(`module ${path}\n`, { version, isStatic: false, ranges: [] }, 'go.mod');

    if (isPossible) expect(stamp()).toBe(`module ${path}\n`);
    else expect(stamp).toThrow(expect.objectContaining({ code: 'VERSION_REFUSED' }));
  });
});

describe('a new repository', () => {
  it.each(ecosystems)('of %s has a manifest, a readme, a licence and a test', (ecosystem) => {
    const files = newFiles(ecosystem, { name: 'tide-mark', holder: 'Harbour desk', year: 2026 });
    const names = files.map(({ file }) => file);

    expect(names).toEqual(expect.arrayContaining(['README.md', 'LICENSE']));
    expect(names.some((name) => /test|check|lib\.rs$/i.test(name))).toBe(true);
    expect(files.find(({ file }) => file === 'LICENSE')?.text).toContain('2026 Harbour desk');
  });
});
