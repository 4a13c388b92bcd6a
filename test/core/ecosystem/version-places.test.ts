import { describe, expect, it } from 'vitest';
import { findVersionPlaces } from '../../../src/core/ecosystem/version-places.ts';
import type { Ecosystem } from '../../../src/core/name/ecosystem.ts';

type Files = Readonly<Record<string, string>>;

/** Stamps every place that is found. @returns the files that changed, and the version that counts. */
async function stampAll(ecosystem: Ecosystem, files: Files, { folder = '', manifest = '' } = {}) {
  const texts = new Map(Object.entries(files));
  const places = await findVersionPlaces(ecosystem, {
    folder,
    name: 'tide-mark',
    manifestPath: manifest === '' ? null : manifest,
    files: new Set(texts.keys()),
    read: async (file) => texts.get(file) ?? null,
  });
  const source = places.find(({ isSource }) => isSource);
  const version = source === undefined ? null : source.read(texts.get(source.file) ?? '');
  for (const { file, stamp } of places)
    texts.set(file, stamp(texts.get(file) ?? '', { version: '1.4.0-rc.2', spelt: '1.4.0rc2' }));
  const changed = [...texts].filter(([file, text]) => files[file] !== text);
  return { version, changed: Object.fromEntries(changed) };
}

const pyproject = (more: string) => `[project]\nname = "tide-mark"\ndynamic = ["version"]\n\n${more}`;

describe('a Python version is kept', () => {
  it.each<[string, Files, string | null, Files]>([
    [
      'in the attribute that the setuptools table names',
      {
        'pyproject.toml': pyproject('[tool.setuptools.dynamic]\nversion = { attr = "tide_mark.VERSION" }\n'),
        'src/tide_mark/__init__.py': "# tides\nVERSION = '1.3.0'  # keep\n__author__ = 'x'\n",
      },
      '1.3.0',
      { 'src/tide_mark/__init__.py': "# tides\nVERSION = '1.4.0rc2'  # keep\n__author__ = 'x'\n" },
    ],
    [
      'in the file that the setuptools table names',
      {
        'pyproject.toml': pyproject('[tool.setuptools.dynamic]\nversion = { file = ["tide.version"] }\n'),
        'tide.version': '1.3.0\r\n',
      },
      '1.3.0',
      { 'tide.version': '1.4.0rc2\r\n' },
    ],
    [
      'at the path of another backend',
      {
        'pyproject.toml': pyproject('[tool.hatch.version]\npath = "tide_mark/__about__.py"\n'),
        'tide_mark/__about__.py': '__version__: str = "1.3.0"\n',
      },
      '1.3.0',
      { 'tide_mark/__about__.py': '__version__: str = "1.4.0rc2"\n' },
    ],
    [
      'by setup.cfg in an attribute',
      {
        'setup.cfg': '[metadata]\nname = tide-mark\nversion = attr: tide_mark.__version__\n',
        'tide_mark/__init__.py': '"""Tides."""\n__version__ = "1.3.0"\n',
      },
      '1.3.0',
      { 'tide_mark/__init__.py': '"""Tides."""\n__version__ = "1.4.0rc2"\n' },
    ],
    [
      'where nothing is said, in __version__ of the package',
      { 'pyproject.toml': pyproject(''), 'tide_mark/_version.py': "__version__ = '1.3.0'\n" },
      '1.3.0',
      { 'tide_mark/_version.py': "__version__ = '1.4.0rc2'\n" },
    ],
    [
      'twice, when the table has one and the package another',
      {
        'pyproject.toml': '[project]\nname = "tide-mark"\nversion = "1.3.0"\n',
        'tide_mark/__init__.py': '__version__ = "1.2.0"\n',
        VERSION: '1.3.0\n',
      },
      null,
      { 'tide_mark/__init__.py': '__version__ = "1.4.0rc2"\n', VERSION: '1.4.0rc2\n' },
    ],
    [
      'nowhere when it is computed',
      {
        'pyproject.toml': pyproject(''),
        'tide_mark/__init__.py': 'from importlib.metadata import version\n__version__ = version("tide-mark")\n',
      },
      null,
      {},
    ],
  ])('%s', async (_, files, version, changed) => {
    expect(await stampAll('python', files)).toEqual({ version, changed });
  });
});

/** A version that Maven fills in. */
const property = '$'.concat('{revision}');
const parent = (version: string) =>
  `<project>\n  <groupId>example.fenmarsh</groupId>\n  <artifactId>tides</artifactId>\n  <version>${version}</version>\n  <packaging>pom</packaging>\n  <dependencies><dependency><version>9.9.9</version></dependency></dependencies>\n</project>\n`;
const child = (version: string, own = '') =>
  `<project>\n  <parent>\n    <groupId>example.fenmarsh</groupId>\n    <artifactId>tides</artifactId>\n    <version>${version}</version>\n  </parent>\n  <artifactId>mark</artifactId>\n${own}</project>\n`;

describe('other versions are kept', () => {
  it.each<[string, Ecosystem, Files, { folder?: string; manifest?: string }, string | null, Files]>([
    [
      'by a workspace of crates in its root',
      'rust',
      {
        'Cargo.toml':
          '[workspace]\nmembers = ["a"]\n\n[workspace.package]\nedition = "2021"\nversion = "1.3.0" # all\n',
        'a/Cargo.toml': '[package]\nname = "a"\nversion.workspace = true\n',
      },
      { folder: 'a', manifest: 'a/Cargo.toml' },
      '1.3.0',
      {
        'Cargo.toml':
          '[workspace]\nmembers = ["a"]\n\n[workspace.package]\nedition = "2021"\nversion = "1.4.0rc2" # all\n',
      },
    ],
    [
      'by a parent POM, and in the reference to it',
      'jvm',
      { 'pom.xml': parent('1.3.0'), 'mark/pom.xml': child('1.3.0') },
      { folder: 'mark', manifest: 'mark/pom.xml' },
      '1.3.0',
      { 'pom.xml': parent('1.4.0rc2'), 'mark/pom.xml': child('1.4.0rc2') },
    ],
    [
      'by a parent POM that is released itself, with the references of its modules',
      'jvm',
      { 'pom.xml': parent('1.3.0'), 'mark/pom.xml': child('1.3.0'), 'other/pom.xml': child('1.2.0') },
      { manifest: 'pom.xml' },
      null,
      { 'mark/pom.xml': child('1.4.0rc2') },
    ],
    [
      'by a workspace of crates, with a range that members inherit',
      'rust',
      {
        'Cargo.toml':
          '[workspace]\nmembers = ["a"]\n\n[workspace.dependencies]\nserial = "1"\na = { path = "a", version = "1.3.0" }\n',
        'a/Cargo.toml': '[package]\nname = "a"\nversion = "1.3.0"\n',
      },
      { folder: 'a', manifest: 'a/Cargo.toml' },
      null,
      {
        'Cargo.toml':
          '[workspace]\nmembers = ["a"]\n\n[workspace.dependencies]\nserial = "1"\na = { path = "a", version = "1.4.0-rc.2" }\n',
      },
    ],
    [
      'behind a property',
      'jvm',
      {
        'pom.xml': parent(property).replace(
          '  <dependencies>',
          '  <properties>\n    <revision>1.3.0</revision>\n  </properties>\n  <dependencies>',
        ),
        'mark/pom.xml': child(property),
      },
      { folder: 'mark', manifest: 'mark/pom.xml' },
      '1.3.0',
      {
        'pom.xml': parent(property).replace(
          '  <dependencies>',
          '  <properties>\n    <revision>1.4.0rc2</revision>\n  </properties>\n  <dependencies>',
        ),
      },
    ],
    [
      'by a build script',
      'jvm',
      { 'build.gradle': "plugins { id 'java-library' }\nversion = '1.3.0'\n", 'settings.gradle': '' },
      {},
      '1.3.0',
      { 'build.gradle': "plugins { id 'java-library' }\nversion = '1.4.0rc2'\n" },
    ],
    [
      'by the properties of a build script',
      'jvm',
      { 'gradle.properties': 'org.x=1\nversion=1.3.0\n', 'mark/build.gradle.kts': 'plugins { java }\n' },
      { folder: 'mark' },
      '1.3.0',
      { 'gradle.properties': 'org.x=1\nversion=1.4.0rc2\n' },
    ],
    [
      'by a project file',
      'dotnet',
      {
        'Tides.csproj':
          '<Project><PropertyGroup><VersionPrefix>1.3.0</VersionPrefix><FileVersion>1.3.0.0</FileVersion></PropertyGroup></Project>',
      },
      {},
      '1.3.0',
      {
        'Tides.csproj':
          '<Project><PropertyGroup><VersionPrefix>1.4.0</VersionPrefix><FileVersion>1.4.0.0</FileVersion></PropertyGroup></Project>',
      },
    ],
    [
      'by the properties of a folder',
      'dotnet',
      { 'Directory.Build.props': '<Project><Version> 1.3.0 </Version></Project>', 'src/A/A.csproj': '<Project/>' },
      { folder: 'src/A' },
      '1.3.0',
      { 'Directory.Build.props': '<Project><Version> 1.4.0rc2 </Version></Project>' },
    ],
    [
      'by CMake, as numbers',
      'native',
      {
        'CMakeLists.txt':
          'cmake_minimum_required(VERSION 3.20)\nproject(tide-mark\n  VERSION 1.3.0\n  LANGUAGES C)\nfind_package(X VERSION 9.0)\n',
      },
      {},
      '1.3.0',
      {
        'CMakeLists.txt':
          'cmake_minimum_required(VERSION 3.20)\nproject(tide-mark\n  VERSION 1.4.0\n  LANGUAGES C)\nfind_package(X VERSION 9.0)\n',
      },
    ],
    [
      'by Meson and Autoconf',
      'native',
      {
        'meson.build': "project('tide-mark', 'c',\n  version : '1.3.0', meson_version: '>=0.60')\n",
        'configure.ac': 'AC_INIT([tide-mark], [1.3.0], [harbour@fenmarsh.example])\n',
      },
      {},
      '1.3.0',
      {
        'meson.build': "project('tide-mark', 'c',\n  version : '1.4.0rc2', meson_version: '>=0.60')\n",
        'configure.ac': 'AC_INIT([tide-mark], [1.4.0rc2], [harbour@fenmarsh.example])\n',
      },
    ],
    ['in a file of its own', 'plain', { VERSION: 'v1.3.0\n' }, {}, null, { VERSION: 'v1.4.0rc2\n' }],
    ['not in a file with more in it', 'plain', { VERSION: '1.3.0\nnotes\n' }, {}, null, {}],
  ])('%s', async (_, ecosystem, files, where, version, changed) => {
    expect(await stampAll(ecosystem, files, where)).toEqual({ version, changed });
  });
});
