import { createHash } from 'node:crypto';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { foldedTwins, isVendored, whyWrongFilePath } from '../../../src/core/form/go-module/module-files.ts';
import { moduleHash } from '../../../src/core/form/go-module/module-hash.ts';
import { planArtifact } from '../../../src/core/form/plan-artifact.ts';
import { goModFormat } from '../../../src/core/manifest/build-files.ts';
import { isInRetracted, isLocalReplace, parseGoMod, withRetract } from '../../../src/core/manifest/go-mod.ts';
import { escapePath, unescapePath, whyNotModulePath, whyWrongPath } from '../../../src/core/manifest/module-path.ts';
import { candidate, formInput, pathsOf } from '../../builders/form-input.ts';

const goMod = 'module fenmarsh.example/tides\n\ngo 1.19\n';

function moduleInput(files: Readonly<Record<string, string>>, text = goMod) {
  const all = { 'go.mod': text, 'tides.go': 'package tides\n', ...files };
  return formInput('go-module', all, { manifest: goModFormat.read(text, 'go.mod'), manifestPath: 'go.mod' });
}

describe('the zip of a module', () => {
  it('has the files at the commit below path and version', async () => {
    const plan = await planArtifact(moduleInput({ LICENSE: 'x', 'vendor/modules.txt': 'x' }));

    expect(plan.fileName).toBe('fenmarsh.example-tides-v1.4.0.zip');
    expect(pathsOf(plan)).toEqual(
      ['LICENSE', 'go.mod', 'tides.go', 'vendor/modules.txt'].map((path) => `fenmarsh.example/tides@v1.4.0/${path}`),
    );
  });

  it('leaves out what is vendored, modules inside, links, and what no commit holds', async () => {
    const input = moduleInput({
      'vendor/a.example/b/b.go': 'x',
      'tools/go.mod': 'module x',
      'tools/x.go': 'x',
      'made.go': 'x',
    });
    const files = [...input.files, candidate('link', { linkname: 'tides.go' })];
    const tracked = { has: (path: string) => path !== 'made.go' };

    expect(pathsOf(await planArtifact({ ...input, files, tracked }))).toEqual([
      'fenmarsh.example/tides@v1.4.0/go.mod',
      'fenmarsh.example/tides@v1.4.0/tides.go',
    ]);
  });

  it('takes the licence of the repository where a module in a folder has none', async () => {
    const input = {
      ...moduleInput({}),
      folder: 'go/tides',
      readAbove: async (path: string) => (path === 'LICENSE' ? 'MIT' : null),
    };

    expect(pathsOf(await planArtifact(input))).toContain('fenmarsh.example/tides@v1.4.0/LICENSE');
    expect(pathsOf(await planArtifact({ ...input, folder: '' }))).not.toContain(
      'fenmarsh.example/tides@v1.4.0/LICENSE',
    );
  });

  it.each<[string, Record<string, string>, string?]>([
    ['two names that differ in capitals', { 'Tides.go': 'x' }],
    ['a name that Windows keeps', { 'nul.go': 'x' }],
    ['a path with another major version', {}, 'module fenmarsh.example/tides/v3\n'],
    ['a path that is none', {}, 'module tides\n'],
  ])('is refused for %s', async (_, files, text) => {
    await expect(planArtifact(moduleInput(files, text))).rejects.toMatchObject({ code: 'MODULE_REFUSED' });
  });
});

it.each([
  ['vendor/modules.txt', false],
  ['vendor/a/b.go', true],
  ['sub/vendor/x/y.go', true],
  ['vendored/a/b.go', false],
  ['my-vendor/x.go', false],
])('%s is vendored: %s', (path, expected) => {
  expect(isVendored(path)).toBe(expected);
});

it.each([
  ['a/b.go', null],
  ['Höhe und Zeit.txt', null],
  ['a//b', /empty part/],
  ['../b', /dots alone/],
  ['b.', /ends with a dot/],
  ['a?b', /some system/],
  ['COM1.txt', /Windows/],
  ['a\u0007b', /some system/],
  ['tide~1', /Windows/],
  ['a;b', /not allowed/],
])('%j may be in a module: %s', (path, why) => {
  const found = whyWrongFilePath(path);
  if (why === null) expect(found).toBeNull();
  else expect(found).toMatch(why);
});

it('finds two paths that are one where capitals do not count', () => {
  expect(foldedTwins(['a/B', 'c', 'A/b'])).toEqual(['a/B', 'A/b']);
  expect(foldedTwins(['a', 'b'])).toBeNull();
});

it('hashes a list as sha256sum writes it, sorted', () => {
  const files = [
    { path: 'b', sha256: '2'.repeat(64) },
    { path: 'a', sha256: '1'.repeat(64) },
  ];
  const list = `${'1'.repeat(64)}  a\n${'2'.repeat(64)}  b\n`;

  expect(moduleHash(files)).toBe(`h1:${createHash('sha256').update(list).digest('base64')}`);
});

describe('a module path', () => {
  it.each([
    ['fenmarsh.example/tides', '1.4.0', null],
    ['fenmarsh.example/tides/v2', '2.0.0', null],
    ['fenmarsh.example/tides', '2.0.0', /ends in \/v2/],
    ['fenmarsh.example/tides/v2', '1.0.0', /no such suffix/],
    ['fenmarsh.example/tides/v2', '3.0.0', /ends in \/v3/],
    ['tides', '1.0.0', /host/],
    ['Fenmarsh.example/tides', '1.0.0', /host/],
    ['fenmarsh.example/../x', '1.0.0', /cannot be part/],
    ['fenmarsh.example/a b', '1.0.0', /cannot be part/],
    ['/fenmarsh.example', '1.0.0', /slash/],
  ])('%s at %s', (path, version, why) => {
    const found = whyWrongPath(path, version);
    if (why === null) expect(found).toBeNull();
    else expect(found).toMatch(why);
  });

  it('escapes capitals and comes back the same', () => {
    expect(escapePath('fenmarsh.example/TideTables')).toBe('fenmarsh.example/!tide!tables');
    fc.assert(
      fc.property(fc.stringMatching(/^[A-Za-z0-9./_-]{1,40}$/), (path) => {
        const escaped = escapePath(path);
        expect(escaped).toBe(escaped.toLowerCase());
        expect(unescapePath(escaped)).toBe(path);
      }),
    );
    expect([unescapePath('A'), unescapePath('!'), unescapePath('a!B')]).toEqual([null, null, null]);
  });

  it('is never taken when one of its parts leads elsewhere', () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 30 }), (text) => {
        if (whyNotModulePath(text) === null) expect(text).toMatch(/^[A-Za-z0-9._~/-]+$/);
      }),
    );
  });
});

describe('go.mod', () => {
  it('is read with blocks, comments and quotes', () => {
    const text = `// Deprecated: use harbour
module "fenmarsh.example/tides" // the path
go 1.21
require a.example/b v1.0.0 // indirect
require (
\tc.example/d v2.0.0+incompatible
\t// e.example/f v1.0.0
)
replace a.example/b => ../b
replace (
\tc.example/d v2.0.0 => g.example/h v1.1.0
)
retract (
\tv1.0.0 // wrong tides
\t[v1.1.0, v1.2.0]
)
`;
    expect(parseGoMod(text)).toEqual({
      module: 'fenmarsh.example/tides',
      go: '1.21',
      requires: [
        { path: 'a.example/b', version: 'v1.0.0' },
        { path: 'c.example/d', version: 'v2.0.0+incompatible' },
      ],
      replaces: [
        { path: 'a.example/b', by: '../b' },
        { path: 'c.example/d', by: 'g.example/h v1.1.0' },
      ],
      retracts: ['v1.0.0', '[v1.1.0, v1.2.0]'],
    });
  });

  it('is read in any text without an error', () => {
    fc.assert(fc.property(fc.string(), (text) => void parseGoMod(text)));
  });

  it.each([
    ['../b', true],
    ['./b', true],
    ['/srv/b', true],
    ['C:\\b', true],
    ['b.example/c v1.0.0', false],
  ])('a replacement by %s is local: %s', (by, expected) => {
    expect(isLocalReplace({ path: 'x', by })).toBe(expected);
  });

  it('gets a retract line once, and is the same otherwise', () => {
    const once = withRetract(goMod, '1.4.0', 'wrong\ntides') ?? '';

    expect(once).toBe(`${goMod}\nretract v1.4.0 // wrong tides\n`);
    expect(parseGoMod(once).retracts).toEqual(['v1.4.0']);
    expect(withRetract(once, '1.4.0', 'again')).toBeNull();
  });

  it.each([
    ['v1.4.0', 'v1.4.0', true],
    ['v1.4.0', 'v1.4.1', false],
    ['[v1.0.0, v1.4.0]', 'v1.2.0', true],
    ['[v1.0.0,v1.4.0]', 'v1.4.1', false],
    ['[v1, x]', 'v1.0.0', false],
  ])('%s retracts %s: %s', (range, version, expected) => {
    expect(isInRetracted(range, version)).toBe(expected);
  });
});
