import { describe, expect, it } from 'vitest';
import { planArtifact } from '../../../src/core/form/plan-artifact.ts';
import { formatCoreMetadata, parseCoreMetadata } from '../../../src/core/form/python/core-metadata.ts';
import { offerProjectTable, setupCfgFormat, setupPyFormat } from '../../../src/core/manifest/old-python.ts';
import { pyprojectFormat } from '../../../src/core/manifest/pyproject-toml.ts';
import { parsePythonProject } from '../../../src/core/manifest/python-project.ts';
import { candidate, fileRule, formInput, pathsOf, textOf } from '../../builders/form-input.ts';

const project = `[project]
name = "Tide.Mark"
version = "1.4.0"
description = "Tides"
readme = "README.md"
license = "MIT"
`;
const source = { 'pyproject.toml': project, 'README.md': '# Tides\n', LICENSE: 'MIT\n' };

describe('a wheel', () => {
  it.each<[string, Record<string, string>, string[]]>([
    ['src layout', { 'src/tide_mark/__init__.py': '', 'tests/test_a.py': '' }, ['tide_mark/__init__.py']],
    [
      'flat layout',
      { 'tide_mark/__init__.py': '', 'tide_mark/deep/a.py': '', 'other/b.py': '' },
      ['tide_mark/__init__.py', 'tide_mark/deep/a.py'],
    ],
    ['a single module', { 'tide_mark.py': '', 'setup.py': '' }, ['tide_mark.py']],
    [
      'leftovers',
      { 'src/tide_mark/a.py': '', 'src/tide_mark/__pycache__/a.pyc': '', 'src/Tide.egg-info/x': '' },
      ['tide_mark/a.py'],
    ],
  ])('of %s takes the import packages, metadata behind them, RECORD last', async (_, files, modules) => {
    const plan = await planArtifact(formInput('wheel', { ...source, ...files }));

    expect(plan.fileName).toBe('tide_mark-1.4.0-py3-none-any.whl');
    const info = 'tide_mark-1.4.0.dist-info';
    expect(pathsOf(plan)).toEqual([
      ...modules,
      `${info}/METADATA`,
      `${info}/WHEEL`,
      `${info}/licenses/LICENSE`,
      `${info}/RECORD`,
    ]);
  });

  it('has a place for an SBOM of what it needs', async () => {
    const needsSbom = async () => ({ fileName: 'tide-mark.cdx.json', text: '{}' });
    const plan = await planArtifact({ ...formInput('wheel', { ...source, 'tide_mark.py': '' }), needsSbom });

    expect(pathsOf(plan).slice(-2)).toEqual([
      'tide_mark-1.4.0.dist-info/sboms/tide-mark.cdx.json',
      'tide_mark-1.4.0.dist-info/RECORD',
    ]);
  });

  it('writes RECORD of what was packed: SHA-256 in URL-safe base64 without padding, commas quoted', async () => {
    const plan = await planArtifact(formInput('wheel', { ...source, 'tide_mark.py': '' }));
    const origin = { type: 'generated' } as const;
    const before = {
      type: 'file',
      mode: 0o644,
      linkname: null,
      origin,
      md5: null,
      sizeBytes: 3,
      sha256: 'fb'.repeat(32),
    } as const;

    const record = textOf(plan.entries, 'tide_mark-1.4.0.dist-info/RECORD', [{ ...before, path: 'a,b.py' }]);

    expect(record).toBe(
      `"a,b.py",sha256=${'-_v7'.repeat(10)}-_s,3\ntide_mark-1.4.0.dist-info/RECORD,,\n`.replace(
        `${'-_v7'.repeat(10)}-_s`,
        Buffer.from('fb'.repeat(32), 'hex').toString('base64url'),
      ),
    );
    expect(record).toMatch(/sha256=[\w-]{43},3/);
  });

  it.each<[string, string | null, string | null, string]>([
    ['_tide.cpython-311-x86_64-linux-gnu.so', 'linux-x64', null, 'cp311-cp311-linux_x86_64'],
    ['_tide.cp312-win_amd64.pyd', 'windows-x64', null, 'cp312-cp312-win_amd64'],
    ['_tide.abi3.so', 'macos-arm64', null, 'cp38-abi3-macosx_11_0_arm64'],
    ['_tide.so', 'linux-x64', 'cp310-cp310-manylinux_2_28_x86_64', 'cp310-cp310-manylinux_2_28_x86_64'],
  ])('with the extension module %s for %s and the tag %s is for %s', async (file, platform, tag, expected) => {
    const input = formInput(
      'wheel',
      { ...source, [`src/tide_mark/${file}`]: '' },
      { platform, artifact: { 'wheel-tag': tag } },
    );

    const plan = await planArtifact(input);

    expect(plan.fileName).toBe(`tide_mark-1.4.0-${expected}.whl`);
    expect(textOf(plan.entries, 'tide_mark-1.4.0.dist-info/WHEEL')).toBe(
      `Wheel-Version: 1.0\nGenerator: bevelstone 0.1.0\nRoot-Is-Purelib: false\nTag: ${expected}\n`,
    );
  });

  it.each<[string, Record<string, string>, string | null, string]>([
    ['no module', {}, null, 'CONTENTS_NO_MATCH'],
    [
      'an extension module and no platform',
      { 'src/t/_t.cpython-311-x86_64-linux-gnu.so': '' },
      null,
      'PLATFORM_UNCLEAR',
    ],
    ['an extension module for anybody', { 'src/t/_t.so': '' }, 'linux-x64', 'PLATFORM_UNCLEAR'],
    [
      'a readme that is not there',
      { 'src/t/a.py': '', 'pyproject.toml': project.replace('README.md', 'NOWHERE.md') },
      null,
      'CONTENTS_NO_MATCH',
    ],
    [
      'a licence file that is not there',
      { 'src/t/a.py': '', 'pyproject.toml': `${project}license-files = ["COPYING"]\n` },
      null,
      'CONTENTS_NO_MATCH',
    ],
    ['no name', { 'pyproject.toml': '[project]\nversion = "1"\n' }, null, 'MANIFEST_INVALID'],
    [
      'a readme of no known kind',
      { 'src/t/a.py': '', 'pyproject.toml': project.replace('README.md', 'README') },
      null,
      'MANIFEST_INVALID',
    ],
  ])('is refused with %s', async (_, files, platform, code) => {
    await expect(planArtifact(formInput('wheel', { ...source, ...files }, { platform }))).rejects.toMatchObject({
      code,
    });
  });

  it('writes entry points by group, and takes what the rules say instead', async () => {
    const toml = `${project}\n[project.scripts]\ntides = "tide_mark:main"\n[project.entry-points."tide.plugins"]\nbar = "tide_mark:bar"\n`;
    const contents = [fileRule('lib', 'tide_mark')];

    const plan = await planArtifact(
      formInput('wheel', { ...source, 'pyproject.toml': toml, 'lib/a.py': '' }, { artifact: { files: contents } }),
    );

    expect(pathsOf(plan)[0]).toBe('tide_mark/a.py');
    expect(textOf(plan.entries, 'tide_mark-1.4.0.dist-info/entry_points.txt')).toBe(
      '[console_scripts]\ntides = tide_mark:main\n\n[tide.plugins]\nbar = tide_mark:bar\n',
    );
  });
});

it('an sdist has what is at the commit, with PKG-INFO, and nothing that a step made', async () => {
  const files = { ...source, 'src/tide_mark/a.py': '', 'dist/old.whl': '' };
  const input = formInput('sdist', files, {
    tracked: new Set(Object.keys(files).filter((file) => file !== 'dist/old.whl')),
  });

  const plan = await planArtifact(input);

  expect(plan.fileName).toBe('tide_mark-1.4.0.tar.gz');
  expect(pathsOf(plan)).toEqual(
    ['LICENSE', 'PKG-INFO', 'README.md', 'pyproject.toml', 'src/tide_mark/a.py'].map(
      (file) => `tide_mark-1.4.0/${file}`,
    ),
  );
  expect(textOf(plan.entries, 'tide_mark-1.4.0/PKG-INFO')).toContain(
    'Metadata-Version: 2.4\nName: Tide.Mark\nVersion: 1.4.0\n',
  );
});

it('spells a prerelease and a preview version by PEP 440 everywhere', async () => {
  const stream = { type: 'labelled', name: 'early', identifier: 'early', spell: 'alpha', count: 'releases' } as const;

  const plan = await planArtifact(
    formInput('wheel', { ...source, 'tide_mark.py': '' }, { version: '2.0.0-early.3', stream }),
  );

  expect(plan.fileName).toBe('tide_mark-2.0.0a3-py3-none-any.whl');
  expect(textOf(plan.entries, 'tide_mark-2.0.0a3.dist-info/METADATA')).toContain('\nVersion: 2.0.0a3\n');
});

describe('core metadata', () => {
  const whole = `[project]
name = "tides"
description = "Two\\nlines"
license = "Our own terms"
requires-python = ">=3.9"
keywords = ["tide", "bar"]
authors = [{ name = "Harbour desk" }, { name = "Boat, Survey", email = "boat@fenmarsh.example" }, { email = "a@fenmarsh.example" }]
dependencies = ["gauges>=1 ; python_version < '3.12'"]
[project.optional-dependencies]
Plots_Extra = ["charts", "maps; os_name == 'posix' or os_name == 'nt'"]
[project.urls]
Source = "https://git.fenmarsh.example/tides"
`;
  const text = formatCoreMetadata({
    project: parsePythonProject(whole, 'pyproject.toml'),
    version: '1.0',
    readme: 'Hello\r\n\r\nworld\n\n',
    licenceFiles: [],
  });

  it.each([
    'Summary: Two lines',
    'License: Our own terms',
    'Author: Harbour desk',
    'Author-email: "Boat, Survey" <boat@fenmarsh.example>, a@fenmarsh.example',
    'Keywords: tide,bar',
    "Requires-Dist: gauges>=1 ; python_version < '3.12'",
    'Provides-Extra: plots-extra',
    "Requires-Dist: charts; extra == 'plots-extra'",
    "Requires-Dist: maps; (os_name == 'posix' or os_name == 'nt') and extra == 'plots-extra'",
    'Project-URL: Source, https://git.fenmarsh.example/tides',
  ])('has the line %s', (line) => {
    expect(text.split('\n')).toContain(line);
  });

  it('has the readme as its body, and is read back', () => {
    const { fields, body } = parseCoreMetadata(text);

    expect(body).toBe('Hello\n\nworld\n');
    expect(fields['Requires-Dist']).toHaveLength(3);
    expect(parseCoreMetadata('Name: x\nDescription: a\n        |b\n').fields['Description']).toEqual(['a\nb']);
  });
});

describe('an older manifest', () => {
  const cfg = `[metadata]
name = tide-mark
version = attr: tide.__version__
description = Tides of the bar
long_description = file: README.md
author = Harbour desk
[options]
python_requires = >=3.8
install_requires =
    gauges>=1.2
    # a comment
    charts
[flake8]
name = wrong
`;
  const py = `from setuptools import setup
VERSION = "9"
setup(
    name="tide-mark",  # the name
    version='1.2.0',
    description="It's \\"good\\"",
    install_requires=["gauges>=1.2", 'charts'],
    packages=find_packages(),
    url=BASE + "x",
)
`;

  it('is read without running it', () => {
    expect(setupCfgFormat.read(cfg, 'setup.cfg')).toMatchObject({
      name: 'tide-mark',
      version: null,
      dependencies: [{ name: 'gauges', range: '>=1.2' }, { name: 'charts' }],
    });
    expect(setupPyFormat.read(py, 'setup.py')).toMatchObject({
      name: 'tide-mark',
      version: '1.2.0',
      description: 'It\'s "good"',
    });
    expect(setupPyFormat.read('setup(**config())', 'setup.py').name).toBeNull();
    const long = "setup(author_of='x', long_description='Tides', name='tide', version='1.0')";
    expect(setupPyFormat.read(long, 'setup.py')).toMatchObject({ name: 'tide', version: '1.0' });
  });

  it('gets the version written in, and nothing else changed', () => {
    const stamp = { version: '1.3.0', isStatic: true, ranges: [] };

    expect(setupPyFormat.stamp(py, stamp, 'setup.py')).toBe(py.replace("'1.2.0'", "'1.3.0'"));
    expect(
      setupCfgFormat.stamp('[metadata]\nname = x\nversion = 1.0\n[other]\nversion = 2\n', stamp, 'setup.cfg'),
    ).toBe('[metadata]\nname = x\nversion = 1.3.0\n[other]\nversion = 2\n');
    expect(setupCfgFormat.stamp(cfg, stamp, 'setup.cfg')).toBe(cfg);
  });

  it('is offered as the [project] table that it amounts to, which can be read', async () => {
    const run = planArtifact(formInput('wheel', { 'setup.cfg': cfg, 'setup.py': py, 'tide_mark.py': '' }));

    await expect(run).rejects.toMatchObject({ code: 'PROJECT_TABLE_MISSING' });
    const table = offerProjectTable(cfg, py) ?? '';
    expect(parsePythonProject(table, 'pyproject.toml')).toMatchObject({
      name: 'tide-mark',
      version: '1.2.0',
      description: 'Tides of the bar',
      readme: { file: 'README.md' },
      requiresPython: '>=3.8',
      dependencies: ['gauges>=1.2', 'charts'],
      authors: [{ name: 'Harbour desk' }],
    });
    expect(offerProjectTable(null, null)).toBeNull();
  });
});

it.each([
  ['[project]\nname = "t"\ndynamic = ["version"]\n', '[project]\nversion = "1.4.0"\nname = "t"\n'],
  [
    '[project]\nname = "t"\ndynamic = [\n  "version",\n  "readme",\n]\nx = 1\n',
    '[project]\nversion = "1.4.0"\nname = "t"\ndynamic = ["readme"]\nx = 1\n',
  ],
  ['[project]\nname = "t"\nversion = "0.1"\n', '[project]\nname = "t"\nversion = "1.4.0"\n'],
])('a version left to the release becomes a static one: %j', (text, stamped) => {
  expect(pyprojectFormat.stamp(text, { version: '1.4.0', isStatic: true, ranges: [] }, 'pyproject.toml')).toBe(stamped);
});

it('a symbolic link is refused where installers know none', async () => {
  const input = formInput('wheel', { ...source, 'src/tide_mark/a.py': '' });
  const linked = candidate('src/tide_mark/b.py', { linkname: 'a.py' });

  await expect(planArtifact({ ...input, files: [...input.files, linked] })).rejects.toMatchObject({
    code: 'CONTENTS_UNSAFE',
    message: expect.stringContaining('src/tide_mark/b.py'),
  });
});

it('a symbolic link in the sources stays one', async () => {
  const input = formInput('sdist', { ...source, 'src/tide_mark/a.py': '' });
  const linked = candidate('src/tide_mark/b.py', { linkname: 'a.py' });

  const plan = await planArtifact({
    ...input,
    files: [...input.files, linked],
    tracked: { has: () => true },
  });

  expect(plan.entries.find(({ path }) => path.endsWith('b.py'))).toMatchObject({
    mode: 0o777,
    content: { source: linked },
  });
});
