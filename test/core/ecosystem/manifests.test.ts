import { describe, expect, it } from 'vitest';
import { manifestFiles } from '../../../src/core/ecosystem/definitions.ts';
import type { ManifestStamp } from '../../../src/core/manifest/package-manifest.ts';

const formats = new Map(await Promise.all(manifestFiles.map(async ({ file, load }) => [file, await load()] as const)));

function format(file: string) {
  const found = formats.get(file);
  if (found === undefined) throw new Error(file);
  return found;
}

const samples = {
  'pyproject.toml': `[build-system]
requires = ["tide-backend>=1.0"]

[project]   # the office's own
name = "Tide_Mark.py"
version = '1.3.0'  # by hand
description = "Tides"
license = "MIT"
dependencies = [
  "harmonics>=1.2,<2",
  'other[fast] ~= 3.1 ; python_version < "3.12"',
]

[tool.other]
version = "9.9"
`,
  'Cargo.toml': `[package]
name = "tide-mark"
version = "1.3.0"
license = "MIT"

[dependencies]
harmonics = "1.2"
other = { version = "3.1", path = "../other" }

[dependencies.third]
version = "4"

[dev-dependencies]
harmonics-test = "1.2"
`,
  'pom.xml': `<?xml version="1.0"?>
<project>
  <parent><groupId>example.fenmarsh</groupId><version>7</version></parent>
  <!-- <version>0</version> -->
  <artifactId>tidemark</artifactId>
  <version>1.3.0</version>
  <licenses><license><name>MIT</name></license></licenses>
  <dependencies>
    <dependency>
      <version>1.2.0</version>
      <groupId>example.fenmarsh</groupId>
      <artifactId>harmonics</artifactId>
    </dependency>
    <dependency><groupId>x</groupId><artifactId>y</artifactId><version>\${y}</version><scope>test</scope></dependency>
  </dependencies>
</project>
`,
  '{package}.pc.in': `prefix=@PREFIX@
Name: tides
Description: Tide tables
Version: 1.3.0
Requires: harmonics >= 1.2.0, other
Requires.private: third = 4
`,
};

describe('reading', () => {
  it.each([
    ['pyproject.toml', 'tide-mark-py', ['build tide-backend >=1.0', 'run harmonics >=1.2,<2', 'run other ~= 3.1']],
    [
      'Cargo.toml',
      'tide-mark',
      ['development harmonics-test 1.2', 'run harmonics 1.2', 'run other 3.1', 'run third 4'],
    ],
    ['pom.xml', 'example.fenmarsh:tidemark', ['development x:y ', 'run example.fenmarsh:harmonics 1.2.0']],
    ['{package}.pc.in', 'tides', ['run harmonics >= 1.2.0', 'run other ', 'run third = 4']],
  ] as const)('%s', (file, name, dependencies) => {
    const manifest = format(file).read(samples[file], `x/${file.replace('{package}', 'tides')}`);

    expect(manifest).toMatchObject({ name, version: '1.3.0' });
    expect(manifest.dependencies.map(({ kind, name: other, range }) => `${kind} ${other} ${range}`).sort()).toEqual(
      dependencies,
    );
  });

  it.each([
    ['pyproject.toml', '[project\n', 1],
    ['Cargo.toml', 'a = \n', 1],
    ['pom.xml', '<project>\n<version></project>', 2],
    ['pom.xml', '<other/>', undefined],
  ])('a broken %s is refused with its place', (file, text, line) => {
    expect(() => format(file).read(text, `x/${file}`)).toThrow(
      expect.objectContaining({
        code: 'MANIFEST_INVALID',
        where: expect.objectContaining({ file: `x/${file}`, ...(line === undefined ? {} : { line }) }),
      }),
    );
  });
});

describe('stamping changes what it must and nothing else', () => {
  const stamps: Record<
    keyof typeof samples,
    readonly [ManifestStamp['ranges'], readonly (readonly [string, string])[]]
  > = {
    'pyproject.toml': [
      [
        { name: 'harmonics', from: '>=1.2,<2', to: '>=2.0.0,<3' },
        { name: 'other', from: '~= 3.1', to: '~=4.0.0' },
      ],
      [
        ["'1.3.0'", "'1.4.0'"],
        ['harmonics>=1.2,<2', 'harmonics>=2.0.0,<3'],
        ['other[fast] ~= 3.1 ;', 'other[fast] ~=4.0.0 ;'],
      ],
    ],
    'Cargo.toml': [
      [
        { name: 'harmonics', from: '1.2', to: '2.0.0' },
        { name: 'other', from: '3.1', to: '4.0.0' },
        { name: 'third', from: '4', to: '5.0.0' },
      ],
      [
        ['version = "1.3.0"', 'version = "1.4.0"'],
        ['harmonics = "1.2"', 'harmonics = "2.0.0"'],
        ['version = "3.1"', 'version = "4.0.0"'],
        ['version = "4"', 'version = "5.0.0"'],
      ],
    ],
    'pom.xml': [
      [{ name: 'example.fenmarsh:harmonics', from: '1.2.0', to: '2.0.0' }],
      [
        ['<version>1.3.0<', '<version>1.4.0<'],
        ['<version>1.2.0<', '<version>2.0.0<'],
      ],
    ],
    '{package}.pc.in': [
      [
        { name: 'harmonics', from: '>= 1.2.0', to: '>= 2.0.0' },
        { name: 'third', from: '= 4', to: '= 5.0.0' },
      ],
      [
        ['Version: 1.3.0', 'Version: 1.4.0'],
        ['harmonics >= 1.2.0', 'harmonics >= 2.0.0'],
        ['third = 4', 'third = 5.0.0'],
      ],
    ],
  };

  it.each(Object.keys(samples) as (keyof typeof samples)[])('%s', (file) => {
    const [ranges, changes] = stamps[file];
    for (const text of [samples[file], samples[file].replaceAll('\n', '\r\n')]) {
      const expected = changes.reduce((edited, [from, to]) => edited.replace(from, to), text);
      expect(format(file).stamp(text, { version: '1.4.0', isStatic: true, ranges }, file)).toBe(expected);
    }
  });
});
