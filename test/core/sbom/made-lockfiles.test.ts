// Lockfiles that the real clients wrote, for projects that were made for this. Expected lines were counted by hand from the
// projects, not from what a reader said. In `lockfiles/` only the addresses of the servers were changed afterwards.
import { readFileSync } from 'node:fs';
import path from 'node:path';
import { expect, it } from 'vitest';
import { pyprojectFormat } from '../../../src/core/manifest/pyproject-toml.ts';
import { readText, summary } from './read-lockfile.ts';

const text = (name: string) => readFileSync(path.join(import.meta.dirname, 'lockfiles', name), 'utf8');
const beside = (name: string) => (['go.sum', 'Gemfile', 'Pipfile', 'composer.json'].includes(name) ? text(name) : null);
const pyproject = new Map([['', pyprojectFormat.read(text('poetry.pyproject.toml'), 'pyproject.toml')]]);
const members = new Map([
  ['a', { name: 'tide-a', version: null, description: null, licence: null, dependencies: [] }],
  ['b', { name: 'tide-b', version: null, description: null, licence: null, dependencies: [] }],
]);

it.each([
  [
    'poetry.lock',
    { manifests: pyproject },
    [
      'run tide-store@2.1.0',
      'optional tide-plot@0.4.0',
      'development tide-tool@0.9.0',
      'tide-plot@0.4.0 > tide-store@2.1.0',
      'tide-store@2.1.0 > tide-cache@1.2.0',
      'tide-store@2.1.0 > optional tide-fast@1.0.0',
      'tide-tool@0.9.0 > tide-cache@1.2.0',
    ],
    5,
  ],
  [
    'Pipfile.lock',
    {},
    [
      'indirect run tide-cache@1.2.0',
      'indirect run tide-fast@1.0.0',
      'run tide-plot@0.4.0',
      'indirect run tide-store@2.1.0',
      'indirect development tide-cache@1.2.0',
      'development tide-tool@0.9.0',
    ],
    5,
  ],
  [
    'Gemfile.lock',
    {},
    [
      'run store@2.1.0',
      'development checker@0.9.0',
      'run nat@1.0.0',
      'run plot@0.4.0',
      'plot@0.4.0 > cache@1.2.0',
      'checker@0.9.0 > cache@1.2.0',
      'store@2.1.0 > cache@1.2.0',
    ],
    0,
  ],
  [
    'composer.lock',
    {},
    [
      'run tide/store@1.2.0',
      'development tide/tool@0.3.0',
      'tide/store@1.2.0 > tide/cache@2.0.1',
      'tide/tool@0.3.0 > tide/cache@2.0.1',
    ],
    0,
  ],
  ['go.mod', {}, ['run store.example/tide@v1.2.0', 'indirect run cache.example/deep@v1.0.1'], 0],
  [
    'bun.lock',
    {},
    [
      'run store@4.3.4',
      'run packages/b/',
      'development checker@1.0.2',
      'store@4.3.4 > cache@2.1.2',
      'store@2.6.9 > cache@2.0.0',
    ],
    7,
  ],
])('%s, as its own client wrote it', (name, more, expected, digests) => {
  const reading = readText(name, text(name), { beside, ...more });

  expect(summary(reading)).toEqual(expected);
  expect(reading.packages.reduce((sum, pkg) => sum + pkg.digests.length, 0)).toBe(digests);
  expect(reading.unknown).toEqual([]);
});

it('bun.lock says what a package of the workspace needs, with its own copies', () => {
  expect(summary(readText('bun.lock', text('bun.lock')), 'packages/b').slice(0, 3)).toEqual([
    'run store@2.6.9',
    'optional watcher@2.3.3',
    'peer frame@2.0.4',
  ]);
});

it('Cargo.lock leads through packages of the workspace, and names crates of a repository by address and commit', () => {
  const reading = readText('Cargo.lock', text('Cargo.lock'), { manifests: members });

  expect(summary(reading, 'a')).toEqual(['run b/', 'plotter@0.4.0 > scaler@0.1.0']);
  expect(summary(reading, 'b')[0]).toBe('run plotter@0.4.0');
  expect(reading.packages[0]?.qualifiers).toEqual({
    vcs_url: 'git+https://git.fenmarsh.example/plotter@2ddd297bae840acc663dd7bab052a4337f4f3a07',
  });
});

it('Gemfile.lock keeps the platform of a built gem and the commit of one from a repository', () => {
  const { packages } = readText('Gemfile.lock', text('Gemfile.lock'), { beside });
  const qualifiers = new Map(packages.map(({ name, qualifiers }) => [name, qualifiers]));

  expect(qualifiers.get('nat')).toEqual({ platform: 'x86_64-linux' });
  expect(qualifiers.get('plot')).toEqual({
    vcs_url: 'git+https://git.fenmarsh.example/plot@f895575d9ae05c09ad3154556d80af22f0aecee7',
  });
});

it.each([
  ['poetry.lock', 'lock-version = "2.0"', 'lock-version = "9.0"'],
  ['Pipfile.lock', '"pipfile-spec": 6', '"pipfile-spec": 9'],
  ['bun.lock', '"lockfileVersion": 2', '"lockfileVersion": 90'],
  ['Cargo.lock', 'version = 4', 'version = 90'],
])('%s in a format version of later is not read at all', (name, now, later) => {
  expect(() => readText(name, text(name).replace(now, later), { beside })).toThrow('was not read');
});
