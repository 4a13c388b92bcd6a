import { cpSync, existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { execa } from 'execa';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { testEnvironment } from '../builders/repository.ts';

const root = path.join(import.meta.dirname, '../..');

/** Runs a program in an environment without our own variables; its standard output. */
async function run(program: string, args: readonly string[], cwd: string, env = {}): Promise<string> {
  const { stdout } = await execa(program, args, { cwd, env: testEnvironment(env), extendEnv: false, stdin: 'ignore' });
  return stdout;
}

describe('our own npm tarball', () => {
  const top = mkdtempSync(path.join(tmpdir(), 'bevelstone-own-'));
  const prefix = path.join(top, 'prefix');
  const installed = path.join(prefix, 'lib/node_modules/bevelstone');
  const program = path.join(prefix, 'bin/bevelstone');

  // Packed where no program was built, installed where there is nothing, not even a network.
  beforeAll(async () => {
    const clone = path.join(top, 'clone');
    const tracked = await run('git', ['ls-files', '-z', '--cached', '--others', '--exclude-standard'], root);
    for (const file of tracked.split('\0').filter((name) => name !== '' && existsSync(path.join(root, name))))
      cpSync(path.join(root, file), path.join(clone, file));
    mkdirSync(prefix);
    // What is in the user's cache need not be downloaded again.
    const cache = await run('npm', ['config', 'get', 'cache', '--silent'], root, { HOME: process.env['HOME'] });
    const fromCache = { npm_config_cache: cache.trim(), npm_config_prefer_offline: 'true' };
    await run('npm', ['pack', '--silent', '--pack-destination', top], clone, fromCache);
    const [tarball = ''] = readdirSync(top).filter((name) => name.endsWith('.tgz'));
    await run('npm', ['install', '--global', '--offline', '--prefix', prefix, path.join(top, tarball)], top);
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
    expect(notices).toMatch(/^typescript 5\.9\.\d+ \(Apache-2\.0\)$/m);
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
});
