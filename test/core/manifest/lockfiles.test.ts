import { readFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { ownLockfile } from '../../../src/core/manifest/lockfile/formats.ts';
import type { OwnPackage } from '../../../src/core/manifest/lockfile/own-entry.ts';

const range = { name: 'harmonics', from: '^1.3.0', to: '^2.0.0' };
const harmonics: OwnPackage = { name: 'harmonics', folder: 'packages/harmonics', version: '2.0.0', ranges: [] };
const gauges: OwnPackage = { name: '@fenmarsh/gauges', folder: 'packages/gauges', version: null, ranges: [range] };
const board: OwnPackage = { name: 'board', folder: 'apps/board', version: null, ranges: [range] };

/** What the package managers themselves wrote before and after the manifests were changed. */
function sample(name: string): string {
  return readFileSync(path.join(import.meta.dirname, 'lockfile-samples', name), 'utf8');
}

function update(file: string, text: string, own: readonly OwnPackage[]): string {
  return ownLockfile(file)?.update(text, own, file) ?? 'no lockfile';
}

describe('a lockfile', () => {
  it.each([
    ['package-lock.json', 'npm1', 'json'],
    ['package-lock.json', 'npm2', 'json'],
    ['npm-shrinkwrap.json', 'npm3', 'json'],
    ['pnpm-lock.yaml', 'pnpm', 'yaml'],
    ['yarn.lock', 'yarn', 'lock'],
    ['Cargo.lock', 'cargo', 'lock'],
  ])('%s is what its own tool would write: %s', (file, name, ending) => {
    const updated = update(file, sample(`${name}-before.${ending}`), [harmonics, gauges, board]);

    expect(updated).toBe(sample(`${name}-after.${ending}`));
  });

  it('keeps line ends and a second update changes nothing', () => {
    const before = sample('npm3-before.json').replaceAll('\n', '\r\n');
    const once = update('package-lock.json', before, [harmonics, gauges]);

    expect(once.match(/[^\r]\n/)).toBeNull();
    expect(update('package-lock.json', once, [harmonics])).toBe(once);
  });

  it('gets the version of the package that it lies beside', () => {
    const text = '{"name":"tidemark","version":"1.3.0","lockfileVersion":3,"packages":{"":{"version":"1.3.0"}}}';

    expect(update('package-lock.json', text, [{ ...harmonics, name: 'tidemark', folder: '' }])).toBe(
      text.replaceAll('1.3.0', '2.0.0'),
    );
  });

  it('of uv gets versions and ranges of folders, and nothing of what comes from an index', () => {
    const text = [
      'version = 1\nrequires-python = ">=3.9"\n',
      '[[package]]\nname = "tide-mark"\nversion = "1.3.0"\nsource = { registry = "https://packages.fenmarsh.example" }\n',
      '[[package]]\nname = "harmonics"\nversion = "1.3.0"\nsource = { editable = "harmonics" }\n',
      '[[package]]\nname = "gauges"\nsource = { virtual = "." }\ndependencies = [\n    { name = "harmonics" },\n]\n\n[package.metadata]\nrequires-dist = [{ name = "harmonics", specifier = ">=1.3,<2" }]\n',
    ].join('\n');
    const raised = { name: 'harmonics', from: '>=1.3,<2', to: '>=2.0.0,<3' };

    expect(
      update('uv.lock', text, [harmonics, { name: 'gauges', folder: '', version: '0.3.0', ranges: [raised] }]),
    ).toBe(
      text
        .replace('"harmonics"\nversion = "1.3.0"', '"harmonics"\nversion = "2.0.0"')
        .replace('>=1.3,<2', '>=2.0.0,<3'),
    );
  });

  it('of poetry gets versions of folders', () => {
    const entry = (name: string, more: string) => `[[package]]\nname = "${name}"\nversion = "1.3.0"\n\n${more}\n`;
    const folder = '[package.source]\ntype = "directory"\nurl = "harmonics"\n';
    const text = `${entry('harmonics', folder)}${entry('gauges', '')}[metadata]\nlock-version = "2.1"\n`;

    expect(update('poetry.lock', text, [harmonics, { ...harmonics, name: 'gauges' }])).toBe(
      text.replace('version = "1.3.0"', 'version = "2.0.0"'),
    );
  });

  it('names a crate with its version where two have the name', () => {
    const text =
      'version = 4\n\n[[package]]\nname = "gauges"\nversion = "0.2.0"\ndependencies = [\n "harmonics 1.3.0",\n]\n\n[[package]]\nname = "harmonics"\nversion = "0.9.0"\nsource = "registry+x"\n\n[[package]]\nname = "harmonics"\nversion = "1.3.0"\n';

    expect(update('Cargo.lock', text, [harmonics])).toBe(text.replaceAll('1.3.0', '2.0.0'));
  });

  it.each([
    ['package-lock.json', '{"lockfileVersion": 4, "packages": {}}', 'LOCKFILE_UNKNOWN'],
    ['pnpm-lock.yaml', "lockfileVersion: '10.0'\n", 'LOCKFILE_UNKNOWN'],
    ['yarn.lock', '__metadata:\n  version: 99\n', 'LOCKFILE_UNKNOWN'],
    ['Cargo.lock', 'version = 5\n', 'LOCKFILE_UNKNOWN'],
    ['uv.lock', 'version = 2\n', 'LOCKFILE_UNKNOWN'],
    ['poetry.lock', '[metadata]\nlock-version = "3.0"\n', 'LOCKFILE_UNKNOWN'],
    ['package-lock.json', 'not JSON', 'MANIFEST_INVALID'],
    [
      'package-lock.json',
      '{"packages": {"packages/gauges": {}, "node_modules/harmonics": {"version": "1.3.0", "integrity": "sha512-x"}}}',
      'LOCKFILE_PINS',
    ],
    [
      'yarn.lock',
      'harmonics@^1.3.0:\n  version "1.3.0"\n  resolved "https://packages.fenmarsh.example/harmonics"\n',
      'LOCKFILE_PINS',
    ],
    [
      'Cargo.lock',
      'version = 4\n\n[[package]]\nname = "harmonics"\nversion = "1.3.0"\nsource = "registry+x"\n',
      'LOCKFILE_PINS',
    ],
  ])('%s as %j is refused: %s', (file, text, code) => {
    expect(() => update(file, text, [gauges])).toThrow(expect.objectContaining({ code }));
  });
});
