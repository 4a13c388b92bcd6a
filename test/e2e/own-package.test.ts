import {
  cpSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { execa } from 'execa';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { testStandin } from '../builders/parcel.ts';
import { testEnvironment } from '../builders/repository.ts';
import { goodToken } from '../builders/workspace.ts';

const root = path.join(import.meta.dirname, '../..');

/** Runs a program in an environment without our own variables; its standard output. */
async function run(program: string, args: readonly string[], cwd: string, env = {}): Promise<string> {
  const settings = { cwd, env: testEnvironment(env), extendEnv: false, stdin: 'ignore' } as const;
  return (await execa(program, args, settings)).stdout;
}

/** A clone of this repository on its branch `main`, with what is not committed yet, and a remote of its own. */
async function cloneHere(clone: string): Promise<void> {
  const git = (...args: readonly string[]) =>
    run('git', ['-c', 'user.name=Trial', '-c', 'user.email=trial@bevelstone.example', ...args], clone);
  await run('git', ['clone', '--quiet', '--no-local', root, clone], root);
  const listed = await run('git', ['ls-files', '-z', '--cached', '--others', '--exclude-standard'], root);
  const files = listed.split('\0').filter((name) => name !== '' && existsSync(path.join(root, name)));
  await git('checkout', '--quiet', '-B', 'main');
  await git('rm', '-r', '--quiet', '.');
  for (const file of files) cpSync(path.join(root, file), path.join(clone, file));
  await git('add', '--all');
  await git('commit', '--quiet', '--allow-empty', '--message', 'fix: what is not committed yet');
  await run('git', ['clone', '--quiet', '--bare', clone, `${clone}.git`], clone);
  await git('remote', 'set-url', 'origin', `${clone}.git`);
  await git('fetch', '--quiet');
  await git('branch', '--quiet', '--set-upstream-to=origin/main');
  await git('config', 'user.name', 'Trial');
  await git('config', 'user.email', 'trial@bevelstone.example');
}

describe('our own npm tarball', () => {
  const top = mkdtempSync(path.join(tmpdir(), 'bevelstone-own-'));
  const prefix = path.join(top, 'prefix');
  const installed = path.join(prefix, 'lib/node_modules/bevelstone');
  const program = path.join(prefix, 'bin/bevelstone');
  const clone = path.join(top, 'clone');
  let fromCache: Record<string, string> = {};
  let tarball = '';

  // Packed where no program was built, installed where there is nothing, not even a network.
  beforeAll(async () => {
    await cloneHere(clone);
    mkdirSync(prefix);
    // What is in the user's cache need not be downloaded again.
    const cache = await run('npm', ['config', 'get', 'cache', '--silent'], root, { HOME: process.env['HOME'] });
    fromCache = { npm_config_cache: cache.trim(), npm_config_prefer_offline: 'true' };
    await run('npm', ['pack', '--silent', '--pack-destination', top], clone, fromCache);
    const [packed = ''] = readdirSync(top).filter((name) => name.endsWith('.tgz'));
    tarball = path.join(top, packed);
    await run('npm', ['install', '--global', '--offline', '--prefix', prefix, tarball], top);
  });

  afterAll(() => rmSync(top, { recursive: true }));

  it('contains the program, the demo, and what a registry page shows', () => {
    const manifest = JSON.parse(readFileSync(path.join(installed, 'package.json'), 'utf8'));

    expect(manifest).toMatchObject({ repository: { type: 'git' }, bugs: expect.stringContaining('/issues') });
    expect(manifest.keywords).toContain('sbom');
    expect(manifest.dependencies).toBeUndefined();
    expect(readdirSync(installed).sort()).toEqual(['LICENSE', 'README.md', 'demo', 'dist', 'package.json']);
  });

  it('contains the licence texts of the packages that are bundled into it', () => {
    const notices = readFileSync(path.join(installed, 'dist/THIRD-PARTY-NOTICES.txt'), 'utf8');

    const chunks = readdirSync(path.join(installed, 'dist/chunk')).filter((name) => name.endsWith('.js'));
    expect(chunks.length).toBeGreaterThan(20);
    expect(notices).toMatch(/^yargs 18\.\S+ \(MIT\)$/m);
    expect(notices).toContain('Permission is hereby granted, free of charge');
    expect(notices).toMatch(/^typescript 6\.0\.\d+ \(Apache-2\.0\)$/m);
    // What only builds and tests us is not inside.
    expect(notices).not.toMatch(/^(?:vitest|esbuild|knip) /m);
  });

  it('runs after a global installation without a network', async () => {
    const { version } = JSON.parse(readFileSync(path.join(root, 'package.json'), 'utf8'));
    const home = path.join(top, 'home');
    mkdirSync(home);

    expect(await run(program, ['--version'], top, { HOME: home })).toContain(version);
    const demo = await run(program, ['demo'], home, { HOME: home });
    expect(demo).toMatch(/ledger/);
  });

  it('has the compiler in a chunk that nothing reads which does not need it', async () => {
    const folder = path.join(installed, 'dist/chunk');
    const sizeOf = (name: string) => statSync(path.join(folder, name)).size;
    const [compiler = ''] = readdirSync(folder).sort((a, b) => sizeOf(b) - sizeOf(a));
    expect(sizeOf(compiler)).toBeGreaterThan(4_000_000);
    const hidden = path.join(top, compiler);
    renameSync(path.join(folder, compiler), hidden);
    try {
      expect(await run(program, ['config', 'check'], clone)).toContain('bevelstone.yaml is valid');
      expect(await run(program, ['survey'], clone)).toContain('bevelstone');
      expect(await run(program, ['inspect', tarball], top)).toContain('dist/main.js');
    } finally {
      renameSync(hidden, path.join(folder, compiler));
    }
  });

  it('is listed with the packages that are bundled into it', async () => {
    await run(program, ['sbom', 'write', tarball, '--kind', 'cyclonedx', '--to', top], top);
    const { metadata } = JSON.parse(readFileSync(path.join(top, `${path.basename(tarball)}.cdx.json`), 'utf8'));
    const names = metadata.component.components.map((component: { name: string }) => component.name);

    expect(names).toEqual(expect.arrayContaining(['yargs', 'typescript', '@aws-sdk/client-s3']));
    expect(names).not.toContain('vitest');
  });

  it('is released by the installed program as far as a dry run goes, its rehearsal included', async () => {
    const standin = await testStandin({ speaks: ['npm-registry'] });
    const env = {
      ...fromCache,
      HOME: path.join(top, 'home'),
      BEVELSTONE_REGISTRY_URL: standin.urlFor('npm-registry'),
      BEVELSTONE_REGISTRY_TOKEN: goodToken,
      BEVELSTONE_TRUST: standin.url,
    };

    const settings = { cwd: clone, env: testEnvironment(env), extendEnv: false, stdin: 'ignore', all: true } as const;
    const { all: card } = await execa(program, ['release', '--dry-run'], settings);

    expect(card).toMatch(/rehearsed +bevelstone: npm \S+ on Node \S+: installed/);
    expect(card).toMatch(/pushes +main, v\d/);
    expect(card).toContain('verify (1 artifact, no warnings)');
    expect(card).toContain('dry run: nothing was changed, tagged, pushed or uploaded');
  });
});
