// How often each command starts git: as often in a workspace of many packages as in one of two.
import { chmodSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { expect, it } from 'vitest';
import { bevelstone } from '../builders/program.ts';
import { TestRepository, temporaryFolder, testEnvironment } from '../builders/repository.ts';

/** A `git` that writes down how it was called, and does it. */
function countingGit(): { readonly folder: string; readonly count: () => string[] } {
  const folder = temporaryFolder();
  const log = path.join(folder, 'calls');
  const found = testEnvironment()['PATH'] ?? '';
  writeFileSync(path.join(folder, 'git'), `#!/bin/sh\necho "$*" >> '${log}'\nPATH='${found}' exec git "$@"\n`);
  chmodSync(path.join(folder, 'git'), 0o755);
  return {
    folder,
    count: () => {
      const lines = readFileSync(log, 'utf8').trim().split('\n');
      rmSync(log);
      return lines;
    },
  };
}

/** Packages with a release each, and a change since. */
function workspace(packages: number): TestRepository {
  const names = Array.from({ length: packages }, (_, index) => `tides-${index}`);
  const manifest = (name: string, index: number) => {
    const dependencies = index === 0 ? {} : { 'tides-0': '^1.0.0' };
    return [
      `packages/${name}/package.json`,
      JSON.stringify({ name, version: '1.0.0', license: 'MIT', dependencies }),
    ] as const;
  };
  const yaml = names.map((name) => `  ${name}: { folder: packages/${name}, artifacts: [{ form: npm-tarball }] }\n`);
  const r = new TestRepository({
    'bevelstone.yaml': `schema: 1\npackages:\n${yaml.join('')}`,
    ...Object.fromEntries(names.map(manifest)),
  });
  for (const name of names) r.tag(`${name}/1.0.0`);
  r.commit('fix: low water', { paths: names.map((name) => `packages/${name}/index.js`) });
  r.checkOut();
  return r;
}

it.each([
  [['survey']],
  [['survey', '--changes']],
  [['survey', '--tags']],
  [['notes']],
  [[]],
  [['config', 'show']],
  [['ledger', 'list']],
  [['build', '--list', '-p', 'tides-1']],
])('bevelstone %j', async (args) => {
  const git = countingGit();
  const counts: number[] = [];
  for (const packages of [2, 20]) {
    const { folder } = workspace(packages);
    const run = await bevelstone(args, { cwd: folder, env: { PATH: `${git.folder}:${testEnvironment()['PATH']}` } });
    if (args[0] !== 'build') expect(run.stderr).toBe('');
    expect(run.exitCode).toBe(0);
    counts.push(git.count().length);
  }

  expect(counts[0]).toBeGreaterThan(0);
  expect(counts[1]).toBe(counts[0]);
});
