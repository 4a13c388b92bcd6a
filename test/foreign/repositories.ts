import type { Ecosystem } from '../../src/core/name/ecosystem.ts';
import { hostPlatform } from '../../src/world/platform.ts';
import type { TestRepository } from '../builders/repository.ts';

/** A repository that was made without Bevelstone in mind, and what must come of it. */
export type Foreign = {
  /** Ecosystem, tags, changelog, commits and layout in a few words. */
  readonly name: string;
  readonly ecosystem: Ecosystem;
  readonly files: Readonly<Record<string, string>>;
  /** The history behind the first commit. */
  readonly history: (r: TestRepository) => void;
  /** Next version by package, as the first survey after `init` says. */
  readonly next?: Readonly<Record<string, string | null>>;
  /** The code with which `init` or `survey` refuses. */
  readonly refused?: { readonly by: 'init' | 'survey' | 'release'; readonly code: string };
  /** Files that the release's commit changes, in alphabetical order. */
  readonly changed?: readonly string[];
  /** Texts that files have on the released tag. */
  readonly texts?: Readonly<Record<string, RegExp>>;
  readonly artifacts?: readonly string[];
  /** Tags that the release makes. */
  readonly tags?: readonly string[];
  /** Programs without which it cannot be built. */
  readonly needs?: readonly string[];
  /** What `init` must say. */
  readonly says?: RegExp;
  /** A command that must succeed on the released tag. */
  readonly check?: readonly string[];
};

const platform = hostPlatform();
const licence = {
  LICENSE: 'MIT License\n\nCopyright (c) 2020 Fenmarsh Tide Office\n\nPermission is hereby granted, free of charge.\n',
};
const readme = (name: string) => ({ 'README.md': `# ${name}\n\nHeights of tides.\n` });
const node = (name: string, version: string, more: object = {}) =>
  `${JSON.stringify({ name, version, description: 'Heights of tides', license: 'MIT', repository: 'https://git.fenmarsh.example/tides', type: 'module', exports: './index.js', ...more }, null, 2)}\n`;
const index = 'export const height = () => 1;\n';
const nodeFiles = (name: string, version: string, more: object = {}) => ({
  'package.json': node(name, version, more),
  'index.js': index,
  ...licence,
  ...readme(name),
});
const inFolder = (folder: string, files: Readonly<Record<string, string>>) =>
  Object.fromEntries(Object.entries(files).map(([file, text]) => [`${folder}/${file}`, text]));
const project = (name: string, more: string, tool = '') =>
  `[build-system]\nrequires = ["setuptools"]\nbuild-backend = "setuptools.build_meta"\n\n[project]\nname = "${name}"\n${more}description = "Heights of tides"\nreadme = "README.md"\nlicense = "MIT"\nrequires-python = ">=3.8"\n${tool}`;
const pom = (more: string, artifact = 'tidemark', version = '<version>1.3.0</version>') =>
  `<project xmlns="http://maven.apache.org/POM/4.0.0">\n  <modelVersion>4.0.0</modelVersion>\n  <groupId>example.fenmarsh</groupId>\n  <artifactId>${artifact}</artifactId>\n  ${version}\n  <name>${artifact}</name>\n  <description>Heights of tides</description>\n  <url>https://git.fenmarsh.example/tides</url>\n  <licenses><license><name>MIT</name></license></licenses>\n${more}</project>\n`;

/** Maven as Debian sets it up: its plugins are on the disk, and it asks no server. */
const debianPlugins = '/usr/share/maven-repo/org/apache/maven/plugins/maven-jar-plugin';
const debianMaven = { '.mvn/maven.config': '-o\n-Dmaven.repo.local=/usr/share/maven-repo\n' };

/** A commit of each kind behind the tag. */
const fix = (r: TestRepository, file = 'index.js', message = 'fix: round half tides') =>
  r.commit(message, { files: { [file]: `${index}// fixed\n` } });

export const repositories: readonly Foreign[] = [
  {
    name: 'node: v1.2.3, Markdown with dates, Conventional Commits, one package',
    ecosystem: 'node',
    files: {
      ...nodeFiles('tidemark', '1.3.2'),
      'CHANGELOG.md': '# Changes\n\n## 1.3.2 (2026-01-02)\n\n- Half tides\n',
    },
    history: (r) => {
      r.tag('v1.3.1', 'v1.3.2');
      fix(r);
    },
    next: { tidemark: '1.3.3' },
    changed: ['CHANGELOG.md', 'package.json'],
    texts: { 'CHANGELOG.md': /## 1\.3\.3 \(\d{4}-\d\d-\d\d\)\n\n- round half tides/ },
    tags: ['v1.3.3'],
    artifacts: ['tidemark-1.3.3.tgz'],
  },
  {
    name: 'node: 1.2, no changelog, no marks, one package',
    ecosystem: 'node',
    files: nodeFiles('tidemark', '1.2.0'),
    history: (r) => {
      r.tag('1.1', '1.2');
      fix(r, 'index.js', 'Round half tides');
    },
    next: { tidemark: '1.2.1' },
    changed: ['CHANGELOG.md', 'package.json'],
    tags: ['1.2.1'],
    artifacts: ['tidemark-1.2.1.tgz'],
  },
  {
    name: 'node: v1, brackets in subjects',
    ecosystem: 'node',
    files: nodeFiles('tidemark', '2.0.0'),
    history: (r) => {
      r.tag('v1');
      r.commit('[FIX] Count stations', { files: { 'index.js': `${index}//1\n` } });
      r.tag('v2');
      r.commit('[NEW] Harbour view', { files: { 'index.js': `${index}//2\n` } });
      r.commit('[FIX] Round', { files: { 'index.js': `${index}//3\n` } });
      r.commit('[NEW] Board', { files: { 'index.js': `${index}//4\n` } });
    },
    next: { tidemark: '2.1.0' },
    tags: ['v2.1.0'],
  },
  {
    name: 'node: @scope/name@1.2.3, lockfile of a workspace',
    ecosystem: 'node',
    files: {
      'package.json': `${JSON.stringify({ name: 'root', version: '0.0.0', private: true, workspaces: ['packages/*'] }, null, 2)}\n`,
      ...inFolder('packages/lamps', nodeFiles('@signals/lamps', '1.3.0')),
      ...inFolder(
        'packages/board',
        nodeFiles('@signals/board', '0.4.0', { dependencies: { '@signals/lamps': '^1.3.0' } }),
      ),
      'package-lock.json': `${JSON.stringify({ name: 'root', version: '0.0.0', lockfileVersion: 3, requires: true, packages: { '': { name: 'root', version: '0.0.0', workspaces: ['packages/*'] }, 'node_modules/@signals/board': { resolved: 'packages/board', link: true }, 'node_modules/@signals/lamps': { resolved: 'packages/lamps', link: true }, 'packages/board': { name: '@signals/board', version: '0.4.0', license: 'MIT', dependencies: { '@signals/lamps': '^1.3.0' } }, 'packages/lamps': { name: '@signals/lamps', version: '1.3.0', license: 'MIT' } } }, null, 2)}\n`,
      '.gitignore': 'node_modules\n',
    },
    history: (r) => {
      r.tag('@signals/lamps@1.3.0', '@signals/board@0.4.0');
      fix(r, 'packages/lamps/index.js', 'feat!: other units');
    },
    next: { '@signals/board': '0.4.1', '@signals/lamps': '2.0.0' },
    changed: [
      'package-lock.json',
      'packages/board/CHANGELOG.md',
      'packages/board/package.json',
      'packages/lamps/CHANGELOG.md',
      'packages/lamps/package.json',
    ],
    texts: { 'package-lock.json': /"@signals\/lamps": "\^2\.0\.0"/ },
    tags: ['@signals/board@0.4.1', '@signals/lamps@2.0.0'],
    check: ['npm', 'ci', '--offline', '--no-audit', '--no-fund'],
  },
  {
    name: 'node: name-1.2.3 of an older name, build script that makes dist',
    ecosystem: 'node',
    files: {
      ...nodeFiles('tidemark', '1.0.0', {
        exports: './dist/index.js',
        files: ['dist'],
        scripts: { build: 'node build.js' },
      }),
      'build.js':
        "import { copyFileSync, mkdirSync } from 'node:fs';\n\nmkdirSync('dist', { recursive: true });\ncopyFileSync('index.js', 'dist/index.js');\n",
      '.gitignore': 'dist/\n',
    },
    history: (r) => {
      r.tag('tidetab-0.9.0', 'tidetab-1.0.0');
      fix(r);
    },
    next: { tidemark: '1.0.1' },
    tags: ['tidetab-1.0.1'],
    artifacts: ['tidemark-1.0.1.tgz'],
    needs: ['npm'],
  },
  {
    name: 'node: two conventions, Unreleased with link lines',
    ecosystem: 'node',
    files: {
      ...nodeFiles('tidemark', '1.1.0'),
      'CHANGELOG.md':
        '# Changelog\n\n## [Unreleased]\n\n### Fixed\n\n- Half tides are rounded to even.\n\n## [1.1.0] - 2026-01-02\n\n### Added\n\n- Stations.\n\n[Unreleased]: https://git.fenmarsh.example/tides/compare/v1.1.0...HEAD\n[1.1.0]: https://git.fenmarsh.example/tides/compare/1.0.0...v1.1.0\n',
    },
    history: (r) => {
      r.tag('1.0.0');
      r.commit('feat: stations', { files: { 'index.js': `${index}//1\n` } });
      r.tag('v1.1.0');
      fix(r);
    },
    next: { tidemark: '1.1.1' },
    texts: {
      'CHANGELOG.md':
        /## \[Unreleased\]\n\n## \[1\.1\.1\] - \d{4}-\d\d-\d\d\n\n### Fixed\n\n- Half tides are rounded to even\.\n\n## \[1\.1\.0\][\s\S]*\[Unreleased\]: .*\/v1\.1\.1\.\.\.HEAD\n\[1\.1\.1\]: .*\/v1\.1\.0\.\.\.v1\.1\.1\n/,
    },
    tags: ['v1.1.1'],
  },
  {
    name: 'node: a convention that contradicts itself',
    ecosystem: 'node',
    files: nodeFiles('tidemark', '1.1.0'),
    history: (r) => {
      r.tag('1.1.0');
      fix(r);
      r.tag('v1.1.0');
      r.commit('fix: x', { files: { 'index.js': `${index}//9\n` } });
    },
    refused: { by: 'init', code: 'TAG_AMBIGUOUS' },
  },
  {
    name: 'node: a changelog that is not text',
    ecosystem: 'node',
    files: { ...nodeFiles('tidemark', '1.1.0'), 'CHANGELOG.md': '#\0 \0C\0h\0' },
    history: (r) => {
      r.tag('v1.1.0');
      fix(r);
    },
    next: { tidemark: '1.1.1' },
    refused: { by: 'release', code: 'CHANGELOG_UNREADABLE' },
  },
  {
    name: 'node: a lockfile of a newer tool',
    ecosystem: 'node',
    files: {
      ...nodeFiles('tidemark', '1.1.0'),
      'package-lock.json': '{"name":"tidemark","version":"1.1.0","lockfileVersion":9,"packages":{}}\n',
    },
    history: (r) => {
      r.tag('v1.1.0');
      fix(r);
    },
    next: { tidemark: '1.1.1' },
    refused: { by: 'release', code: 'LOCKFILE_UNKNOWN' },
  },
  {
    name: 'node and python: two manifests that disagree',
    ecosystem: 'node',
    files: { ...nodeFiles('tidemark', '1.1.0'), 'pyproject.toml': project('tidemark', 'version = "1.2.0"\n') },
    history: (r) => r.tag('v1.1.0'),
    refused: { by: 'init', code: 'MANIFESTS_DISAGREE' },
  },
  {
    name: 'node: no tag that names a version, and a version in the manifest that is not SemVer',
    ecosystem: 'node',
    files: nodeFiles('tidemark', '1.2.3.4'),
    history: (r) => fix(r),
    refused: { by: 'survey', code: 'VERSION_BELOW' },
  },
  {
    name: 'node: tags on a branch that was never merged',
    ecosystem: 'node',
    files: nodeFiles('tidemark', '0.0.0'),
    history: (r) => {
      r.on('release-1');
      fix(r);
      r.tag('v1.4.0');
      r.on('main');
      r.commit('fix: y', { files: { 'README.md': '# tidemark\n\nMore.\n' } });
    },
    refused: { by: 'survey', code: 'VERSION_BELOW' },
  },
  {
    name: 'python: 1.2rc1, attribute, reStructuredText',
    ecosystem: 'python',
    files: {
      'pyproject.toml': project(
        'tidemark-py',
        'dynamic = ["version"]\n',
        '\n[tool.setuptools.dynamic]\nversion = { attr = "tidemark_py.__version__" }\n',
      ),
      'src/tidemark_py/__init__.py': '"""Heights."""\n\n__version__ = "1.2"\n',
      'CHANGES.rst': 'Changes\n=======\n\n1.2 (2026-01-02)\n----------------\n\n- Half tides.\n',
      ...licence,
      ...readme('tidemark-py'),
    },
    history: (r) => {
      r.tag('1.2rc1', '1.2');
      r.commit('fix: round', { files: { 'src/tidemark_py/heights.py': 'HEIGHT = 1\n' } });
    },
    next: { 'tidemark-py': '1.2.1' },
    changed: ['CHANGES.rst', 'src/tidemark_py/__init__.py'],
    texts: {
      'src/tidemark_py/__init__.py': /__version__ = "1\.2\.1"/,
      'CHANGES.rst': /1\.2\.1 \(\d{4}-\d\d-\d\d\)\n-{18}\n\n- round\n\n1\.2 \(/,
    },
    tags: ['1.2.1'],
    artifacts: ['tidemark_py-1.2.1-py3-none-any.whl', 'tidemark_py-1.2.1.tar.gz'],
  },
  {
    name: 'python: setup.cfg with a version file, NEWS.rst',
    ecosystem: 'python',
    files: {
      'pyproject.toml': project(
        'tidemark-py',
        'dynamic = ["version"]\n',
        '\n[tool.setuptools.dynamic]\nversion = { file = "VERSION" }\n',
      ),
      VERSION: '2.0.0\n',
      'tidemark_py/__init__.py': '',
      'NEWS.rst': 'NEWS\n====\n\nVersion 2.0.0\n-------------\n\n* Units.\n',
      ...licence,
      ...readme('tidemark-py'),
    },
    history: (r) => {
      r.tag('release-2.0.0');
      r.commit('feat: views', { files: { 'tidemark_py/views.py': 'VIEW = 1\n' } });
    },
    next: { 'tidemark-py': '2.1.0' },
    changed: ['NEWS.rst', 'VERSION'],
    texts: { VERSION: /^2\.1\.0\n$/, 'NEWS.rst': /Version 2\.1\.0\n-{13}\n\n\* views\n/ },
    tags: ['release-2.1.0'],
  },
  {
    name: 'python: no tag, and a version in __version__ above the manifest',
    ecosystem: 'python',
    files: {
      'pyproject.toml': project('tidemark-py', 'version = "1.0.0"\n'),
      'tidemark_py/__init__.py': '__version__ = "1.2.0"\n',
      ...licence,
      ...readme('tidemark-py'),
    },
    history: (r) => r.commit('fix: x', { files: { 'tidemark_py/x.py': '' } }),
    refused: { by: 'survey', code: 'VERSION_BELOW' },
  },
  {
    name: 'python: static version beside __version__, Added and Fixed in subjects',
    ecosystem: 'python',
    files: {
      'pyproject.toml': project('tidemark-py', 'version = "1.0.0"\n'),
      'tidemark_py/__init__.py': "__version__ = '1.0.0'\n",
      ...licence,
      ...readme('tidemark-py'),
    },
    history: (r) => {
      r.tag('v1.0.0');
      r.commit('Added stations', { files: { 'tidemark_py/a.py': '' } });
      r.commit('Fixed rounding', { files: { 'tidemark_py/b.py': '' } });
      r.commit('Fixed names', { files: { 'tidemark_py/c.py': '' } });
      r.commit('Added a board', { files: { 'tidemark_py/d.py': '' } });
    },
    next: { 'tidemark-py': '1.1.0' },
    changed: ['CHANGELOG.md', 'pyproject.toml', 'tidemark_py/__init__.py'],
    texts: { 'tidemark_py/__init__.py': /__version__ = '1\.1\.0'/ },
    tags: ['v1.1.0'],
  },
  {
    name: 'jvm: Maven, 1.2.0.Final, tag with the name',
    ecosystem: 'jvm',
    files: {
      ...debianMaven,
      'pom.xml': pom('  <properties><maven.compiler.release>11</maven.compiler.release></properties>\n'),
      'src/main/java/example/Tide.java': 'package example;\n\npublic final class Tide { private Tide() {} }\n',
      ...licence,
      ...readme('tidemark'),
    },
    history: (r) => {
      r.tag('tidemark-1.2.0.Beta1', 'tidemark-1.2.0.Final', 'tidemark-1.3.0.Final');
      r.commit('fix: round', {
        files: { 'src/main/java/example/Low.java': 'package example;\n\nfinal class Low {}\n' },
      });
    },
    next: { tidemark: '1.3.1' },
    says: /prerelease: maven/,
    changed: ['CHANGELOG.md', 'pom.xml'],
    texts: { 'pom.xml': /<version>1\.3\.1<\/version>/ },
    tags: ['tidemark-1.3.1'],
    artifacts: ['tidemark-1.3.1.jar', 'tidemark-1.3.1-sources.jar', 'tidemark-1.3.1.pom'],
    needs: ['mvn', 'javac', debianPlugins],
  },
  {
    name: 'jvm: Maven modules with one parent',
    ecosystem: 'jvm',
    files: {
      ...debianMaven,
      'pom.xml': pom('  <packaging>pom</packaging>\n  <modules><module>mark</module></modules>\n', 'tides'),
      'mark/pom.xml':
        '<project xmlns="http://maven.apache.org/POM/4.0.0">\n  <modelVersion>4.0.0</modelVersion>\n  <parent>\n    <groupId>example.fenmarsh</groupId>\n    <artifactId>tides</artifactId>\n    <version>1.3.0</version>\n  </parent>\n  <artifactId>mark</artifactId>\n</project>\n',
      'mark/src/main/java/example/Tide.java': 'package example;\n\npublic final class Tide { private Tide() {} }\n',
      ...licence,
      ...readme('tides'),
    },
    history: (r) => {
      r.tag('v1.3.0');
      r.commit('feat: x', {
        files: { 'mark/src/main/java/example/Low.java': 'package example;\n\nfinal class Low {}\n' },
      });
    },
    says: /together:/,
    next: { tides: '1.4.0', mark: '1.4.0' },
    changed: ['CHANGELOG.md', 'mark/CHANGELOG.md', 'mark/pom.xml', 'pom.xml'],
    texts: { 'mark/pom.xml': /<artifactId>tides<\/artifactId>\n {4}<version>1\.4\.0<\/version>/ },
    artifacts: ['tides-1.4.0.pom', 'mark-1.4.0.jar', 'mark-1.4.0-sources.jar', 'mark-1.4.0.pom'],
    needs: ['mvn', 'javac', debianPlugins],
  },
  {
    name: 'jvm: Gradle, version in build.gradle, v1.2.3',
    ecosystem: 'jvm',
    files: {
      'build.gradle': "plugins {\n    id 'java'\n}\n\ngroup = 'example.fenmarsh'\nversion = '1.3.0'\n",
      'settings.gradle': "rootProject.name = 'tidemark'\n",
      'src/main/java/example/Tide.java': 'package example;\n\npublic final class Tide { private Tide() {} }\n',
      '.gitignore': 'build\n.gradle\n',
      ...licence,
      ...readme('tidemark'),
    },
    history: (r) => {
      r.tag('v1.3.0');
      r.commit('fix: round', {
        files: { 'src/main/java/example/Low.java': 'package example;\n\nfinal class Low {}\n' },
      });
    },
    next: { tidemark: '1.3.1' },
    changed: ['CHANGELOG.md', 'build.gradle'],
    texts: { 'build.gradle': /version = '1\.3\.1'/ },
    tags: ['v1.3.1'],
    artifacts: ['tidemark-1.3.1.jar', 'tidemark-1.3.1-sources.jar', 'tidemark-1.3.1.pom'],
    needs: ['gradle', 'javac'],
  },
  {
    name: 'native: CMake, v1.2.3, text changelog',
    ecosystem: 'native',
    files: {
      'CMakeLists.txt':
        'cmake_minimum_required(VERSION 3.16)\nproject(harmonics VERSION 1.3.0 LANGUAGES C)\nadd_library(harmonics src/harmonics.c)\ninstall(TARGETS harmonics DESTINATION lib)\ninstall(FILES include/harmonics.h DESTINATION include)\n',
      'src/harmonics.c': '#include "../include/harmonics.h"\nint height(void) { return 1; }\n',
      'include/harmonics.h': '#pragma once\n#define HARMONICS_VERSION "1.3.0"\nint height(void);\n',
      NEWS: 'Version 1.3.0 (2026-01-02)\n  - Constituents\n\nVersion 1.2.0 (2025-12-01)\n  - Rounding\n',
      ...licence,
      ...readme('harmonics'),
    },
    history: (r) => {
      r.tag('v1.2.0', 'v1.3.0');
      r.commit('fix: round', {
        files: { 'src/harmonics.c': '#include "../include/harmonics.h"\nint height(void) { return 2; }\n' },
      });
    },
    next: { harmonics: '1.3.1' },
    changed: ['CMakeLists.txt', 'NEWS', 'include/harmonics.h'],
    texts: {
      'CMakeLists.txt': /VERSION 1\.3\.1 LANGUAGES/,
      NEWS: /^Version 1\.3\.1 \(\d{4}-\d\d-\d\d\)\n {2}- round\n\nVersion 1\.3\.0/,
    },
    tags: ['v1.3.1'],
    needs: ['cmake', 'cc'],
  },
  {
    name: 'native: Makefile without a manifest, name_1_2_3',
    ecosystem: 'native',
    files: {
      Makefile:
        'PREFIX ?= /usr/local\nall: tide\ntide: tide.c\n\tcc -o tide tide.c\ninstall: tide\n\tmkdir -p $(DESTDIR)$(PREFIX)/bin\n\tcp tide $(DESTDIR)$(PREFIX)/bin/\n',
      'tide.c': 'int main(void) { return 0; }\n',
      ...licence,
      ...readme('tide'),
    },
    history: (r) => {
      r.tag('tide_1_2_3', 'tide_1_3_0');
      r.commit('fix: round', { files: { 'tide.c': 'int main(void) { return 0; } // round\n' } });
    },
    next: { tides: '1.3.1' },
    tags: ['tide_1_3_1'],
    needs: ['make', 'cc'],
  },
  {
    name: 'native: Meson with a Debian changelog',
    ecosystem: 'native',
    files: {
      'meson.build':
        "project('harmonics', 'c', version: '1.3.0')\nlibrary('harmonics', 'harmonics.c', install: true)\ninstall_headers('harmonics.h')\n",
      'harmonics.c': '#include "harmonics.h"\nint height(void) { return 1; }\n',
      'harmonics.h': '#pragma once\nint height(void);\n',
      'debian/changelog':
        'harmonics (1.3.0-1) unstable; urgency=medium\n\n  * Constituents\n\n -- Harbour desk <harbour@fenmarsh.example>  Fri, 02 Jan 2026 10:00:00 +0000\n',
      ...licence,
      ...readme('harmonics'),
    },
    history: (r) => {
      r.tag('v1.3.0');
      r.commit('feat: x', { files: { 'x.c': 'int x;\n' } });
    },
    next: { harmonics: '1.4.0' },
    says: /changelog: "debian\/changelog"/,
    changed: ['debian/changelog', 'meson.build'],
    texts: { 'meson.build': /version: '1\.4\.0'/, 'debian/changelog': /^harmonics \(1\.4\.0-1\) unstable/ },
    tags: ['v1.4.0'],
    artifacts: [`harmonics-1.4.0-${platform}.tar.gz`, 'harmonics-1.4.0-source.tar.gz'],
    needs: ['meson', 'ninja', 'cc'],
  },
  {
    name: 'native: Autotools without a generated configure, release-1.2',
    ecosystem: 'native',
    files: {
      'configure.ac':
        'AC_INIT([tide], [1.3], [harbour@fenmarsh.example])\nAM_INIT_AUTOMAKE([foreign])\nAC_PROG_CC\nAC_CONFIG_FILES([Makefile])\nAC_OUTPUT\n',
      'Makefile.am': 'bin_PROGRAMS = tide\ntide_SOURCES = tide.c\n',
      'tide.c': 'int main(void) { return 0; }\n',
      ChangeLog: '1.3 (2026-01-02)\n  * Constituents\n\n1.2 (2025-12-01)\n  * Rounding\n',
      ...licence,
      ...readme('tide'),
    },
    history: (r) => {
      r.tag('release-1.2', 'release-1.3');
      r.commit('fix: round', { files: { 'tide.c': 'int main(void) { return 0; } // round\n' } });
    },
    next: { tide: '1.3.1' },
    changed: ['ChangeLog', 'configure.ac'],
    texts: { 'configure.ac': /^AC_INIT\(\[tide\], \[1\.3\.1\]/ },
    tags: ['release-1.3.1'],
    artifacts: [`tide-1.3.1-${platform}.tar.gz`, 'tide-1.3.1-source.tar.gz'],
    needs: ['autoreconf', 'automake', 'make', 'cc'],
  },
  {
    name: 'rust: a workspace with one version and a lockfile',
    ecosystem: 'rust',
    files: {
      'Cargo.toml':
        '[workspace]\nmembers = ["tides", "board"]\nresolver = "2"\n\n[workspace.package]\nversion = "1.3.0"\nedition = "2021"\n',
      'tides/Cargo.toml':
        '[package]\nname = "tides"\nversion.workspace = true\nedition.workspace = true\nlicense = "MIT"\ndescription = "Heights"\n',
      'tides/src/lib.rs': '//! Heights.\n',
      'board/Cargo.toml':
        '[package]\nname = "board"\nversion.workspace = true\nedition.workspace = true\nlicense = "MIT"\ndescription = "Board"\n\n[dependencies]\ntides = { path = "../tides", version = "1.3.0" }\n',
      'board/src/lib.rs': '//! Board.\n',
      'Cargo.lock':
        'version = 3\n\n[[package]]\nname = "board"\nversion = "1.3.0"\ndependencies = [\n "tides",\n]\n\n[[package]]\nname = "tides"\nversion = "1.3.0"\n',
      ...inFolder('tides', licence),
      ...inFolder('board', licence),
      '.gitignore': 'target\n',
    },
    history: (r) => {
      r.tag('v1.3.0');
      r.commit('feat!: units', { files: { 'tides/src/lib.rs': '//! Heights in metres.\n' } });
    },
    next: { board: '2.0.0', tides: '2.0.0' },
    says: /form: crate/,
    changed: ['Cargo.lock', 'Cargo.toml', 'board/CHANGELOG.md', 'board/Cargo.toml', 'tides/CHANGELOG.md'],
    texts: { 'Cargo.lock': /name = "tides"\nversion = "2\.0\.0"/, 'board/Cargo.toml': /version = "2\.0\.0"/ },
    check: ['cargo', 'check', '--locked', '--offline', '--quiet'],
    needs: ['cargo'],
  },
  {
    name: 'go: folder/v1.2.3 of a submodule',
    ecosystem: 'go',
    files: {
      'go.mod': 'module git.fenmarsh.example/tides\n\ngo 1.21\n',
      'tides.go': 'package tides\n',
      'board/go.mod': 'module git.fenmarsh.example/tides/board\n\ngo 1.21\n',
      'board/board.go': 'package board\n',
      ...licence,
    },
    history: (r) => {
      r.tag('v1.2.0', 'board/v0.3.0');
      r.commit('fix: board', { files: { 'board/board.go': 'package board\n\n// fixed\n' } });
    },
    next: { board: '0.3.1', tides: null },
    tags: ['board/v0.3.1'],
    says: /form: go-module/,
  },
  {
    name: 'go: a breaking change needs another module path',
    ecosystem: 'go',
    files: { 'go.mod': 'module git.fenmarsh.example/tides\n', 'tides.go': 'package tides\n', ...licence },
    history: (r) => {
      r.tag('v1.2.0');
      r.commit('feat!: units', { files: { 'tides.go': 'package tides\n\n// metres\n' } });
    },
    next: { tides: '2.0.0' },
    refused: { by: 'release', code: 'VERSION_REFUSED' },
  },
  {
    name: 'plain: rel/1.2.3, oldest first',
    ecosystem: 'plain',
    files: {
      'table.csv': 'station,height\nlight vessel,2\n',
      'HISTORY.md': '# History\n\n## 1.2.2\n\n- a\n\n## 1.2.3\n\n- b\n',
      ...licence,
      ...readme('tables'),
    },
    history: (r) => {
      r.tag('rel/1.2.2', 'rel/1.2.3');
      r.commit('feat: more stations', { files: { 'table.csv': 'station,height\nharbour,3\n' } });
    },
    next: { tides: '1.3.0' },
    changed: ['HISTORY.md'],
    texts: { 'HISTORY.md': /- b\n\n## 1\.3\.0\n\n- more stations\n$/ },
    tags: ['rel/1.3.0'],
  },
  {
    name: 'dotnet: properties of a folder, v1.2.3-beta.3',
    ecosystem: 'dotnet',
    files: {
      'Directory.Build.props':
        '<Project>\n  <PropertyGroup>\n    <Version>1.2.3</Version>\n  </PropertyGroup>\n</Project>\n',
      'src/Fenmarsh.Tides/Fenmarsh.Tides.csproj':
        '<Project Sdk="Microsoft.NET.Sdk">\n  <PropertyGroup>\n    <TargetFramework>netstandard2.0</TargetFramework>\n  </PropertyGroup>\n</Project>\n',
      ...licence,
    },
    history: (r) => {
      r.tag('v1.2.3-beta.3', 'v1.2.3');
      r.commit('fix: x', { files: { 'src/Fenmarsh.Tides/Tide.cs': '// x\n' } });
    },
    next: { 'Fenmarsh.Tides': '1.2.4' },
    says: /dotnet pack/,
  },
  {
    name: 'node: several packages, tags of an older single package are not read',
    ecosystem: 'node',
    files: { ...inFolder('lamps', nodeFiles('lamps', '1.3.0')), ...inFolder('board', nodeFiles('board', '0.1.0')) },
    history: (r) => {
      r.tag('v1.0.0', 'lamps@1.3.0');
      fix(r, 'board/index.js');
    },
    says: /not read: v1\.0\.0/,
    refused: { by: 'survey', code: 'VERSION_BELOW' },
  },
  {
    name: 'node: all packages share one version and its tags',
    ecosystem: 'node',
    files: { ...inFolder('lamps', nodeFiles('lamps', '1.3.0')), ...inFolder('board', nodeFiles('board', '1.3.0')) },
    history: (r) => {
      r.tag('v1.3.0');
      fix(r, 'board/index.js');
    },
    next: { board: '1.3.1', lamps: '1.3.1' },
    changed: ['board/CHANGELOG.md', 'board/package.json', 'lamps/CHANGELOG.md', 'lamps/package.json'],
    texts: { 'lamps/CHANGELOG.md': /Released together with board/ },
    tags: ['board/1.3.1', 'lamps/1.3.1'],
  },
  {
    name: 'node: a stable release raises a range on a prerelease',
    ecosystem: 'node',
    files: {
      ...inFolder('lamps', nodeFiles('lamps', '1.3.0')),
      ...inFolder('board', nodeFiles('board', '0.1.0', { dependencies: { lamps: '^2.0.0-beta.1' } })),
    },
    history: (r) => {
      r.tag('lamps/1.3.0', 'lamps/2.0.0-beta.1', 'board/0.1.0');
      fix(r, 'lamps/index.js', 'feat!: units');
    },
    next: { board: '0.1.1', lamps: '2.0.0' },
    texts: { 'board/package.json': /"lamps": "\^2\.0\.0"/ },
  },
  {
    name: 'node: lightweight tags and a master branch',
    ecosystem: 'node',
    files: nodeFiles('tidemark', '1.0.0'),
    history: (r) => {
      r.git('tag', 'v1.0.0', 'main');
      r.on('master');
      fix(r);
      r.git('branch', '-D', 'main');
    },
    next: { tidemark: '1.0.1' },
    tags: ['v1.0.1'],
    says: /stable: \{ from: master \}/,
  },
];
