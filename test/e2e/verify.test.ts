import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { bevelstone, bevelstoneJson } from '../builders/program.ts';
import { releaseWorkspace } from '../builders/release-workspace.ts';
import { temporaryFolder } from '../builders/repository.ts';
import { itWith } from '../builders/tools.ts';
import { demoWorkspace, nodePackages } from '../builders/workspace.ts';

/** Writes files below a folder. */
function write(folder: string, files: Readonly<Record<string, string>>): void {
  for (const [file, text] of Object.entries(files)) {
    mkdirSync(path.dirname(path.join(folder, file)), { recursive: true });
    writeFileSync(path.join(folder, file), text);
  }
}

/** An npm tarball of files, packed by tar. */
function tarball(folder: string, name: string, json: object, files: Readonly<Record<string, string>>): string {
  const place = path.join(folder, `stage-${name}`);
  const manifest = {
    name,
    version: '1.0.0',
    description: 'Tides',
    license: 'MIT',
    type: 'module',
    engines: { node: '>=20' },
    repository: 'fenmarsh/tides',
    ...json,
  };
  write(path.join(place, 'package'), {
    'package.json': JSON.stringify(manifest),
    'README.md': 'Tide tables for the estuary',
    LICENSE: 'MIT',
    ...files,
  });
  execFileSync('tar', ['-czf', path.join(folder, `${name}-1.0.0.tgz`), '-C', place, 'package']);
  return `${name}-1.0.0.tgz`;
}

const browserEntry = { exports: { '.': { types: './i.d.ts', browser: './web.js', default: './web.js' } } };

describe('a browser entry that reaches Node.js', () => {
  it('is not looked for in what happens to be installed: that differs from clone to clone', async () => {
    const folder = temporaryFolder();
    const file = tarball(
      folder,
      'tidemark',
      { ...browserEntry, dependencies: { 'tide-store': '^1' } },
      { 'web.js': "export { open } from 'tide-store';\n", 'i.d.ts': 'export declare const open: unknown;' },
    );
    write(folder, {
      'node_modules/tide-store/package.json':
        '{"name":"tide-store","main":"n.js","browser":"w.js","dependencies":{"tide-cache":"1"}}',
      'node_modules/tide-store/w.js': "exports.open = require('tide-cache');\n",
      'node_modules/tide-store/node_modules/tide-cache/package.json': '{"name":"tide-cache","main":"disk"}',
      'node_modules/tide-store/node_modules/tide-cache/disk.js': "const fs = require('fs');\n",
    });

    const { result, exitCode } = await bevelstoneJson(['verify', file], { cwd: folder });

    expect(exitCode).toBe(0);
    expect(result.artifacts[0].findings).toMatchObject([
      { rule: 'node/browser-built-in', severity: 'note', message: expect.stringContaining('tide-store') },
    ]);
  });

  it('is reported through artifacts that are verified together; alone, what was not read is noted', async () => {
    const folder = temporaryFolder();
    const top = tarball(
      folder,
      'tidemark',
      { ...browserEntry, dependencies: { 'tide-store': '^1' } },
      { 'web.js': "import 'tide-store';\n", 'i.d.ts': 'export {};' },
    );
    const store = tarball(
      folder,
      'tide-store',
      { exports: { types: './i.d.ts', default: './s.js' } },
      { 's.js': "import 'node:fs';\n", 'i.d.ts': 'export {};' },
    );

    const together = await bevelstone(['verify', top, store], { cwd: folder });
    const alone = await bevelstoneJson(['verify', top], { cwd: folder });

    expect(together.exitCode).toBe(3);
    expect(together.stdout).toContain('web.js > tide-store/s.js > node:fs');
    expect(alone.exitCode).toBe(0);
    expect(alone.result.artifacts[0].findings).toMatchObject([
      { severity: 'note', message: expect.stringContaining('tide-store') },
    ]);
  });

  it('is followed into a workspace package that the lockfile links', async () => {
    const folder = temporaryFolder();
    const file = tarball(
      folder,
      'tidemark',
      { ...browserEntry, dependencies: { 'tide-store': '^1' } },
      { 'web.js': "import 'tide-store';\n", 'i.d.ts': 'export {};' },
    );
    write(folder, {
      'package-lock.json': '{"packages":{"node_modules/tide-store":{"resolved":"packages/store","link":true}}}',
      'packages/store/package.json': '{"name":"tide-store","exports":"./s.js"}',
      'packages/store/s.js': "import 'node:net';",
    });

    const { stdout } = await bevelstone(['verify', file], { cwd: folder });

    expect(stdout).toContain('web.js > tide-store/s.js > node:net');
  });
});

it('writes SARIF that names the artifact, the entry and the rule', async () => {
  const folder = temporaryFolder();
  const file = tarball(folder, 'tidemark', { exports: './gone.js' }, { '.env': 'TOKEN=1' });

  const { exitCode, stdout } = await bevelstone(['verify', file, '--sarif', 'out/findings.sarif'], { cwd: folder });
  const log = JSON.parse(readFileSync(path.join(folder, 'out/findings.sarif'), 'utf8'));
  const [run] = log.runs;

  expect(exitCode).toBe(3);
  expect(stdout).toMatch(/findings as SARIF 2\.1\.0 in out\/findings\.sarif$/);
  expect(run.artifacts[0].location.uri).toBe('tidemark-1.0.0.tgz');
  expect(run.results.map((result: { ruleId: string; level: string }) => [result.ruleId, result.level])).toContainEqual([
    'contents/credential-file',
    'error',
  ]);
  for (const { ruleIndex, ruleId } of run.results) expect(run.tool.driver.rules[ruleIndex].id).toBe(ruleId);
});

it('prints the page that an index would show', async () => {
  const folder = temporaryFolder();
  const file = tarball(folder, 'tidemark', {}, { 'README.md': '# Tidemark\n\nHigh *water*\u001b[31m and low.\n' });

  const { stdout } = await bevelstone(['verify', '--page', file], { cwd: folder });
  const { result } = await bevelstoneJson(['verify', '--page', file], { cwd: folder });

  expect(stdout).toMatch(/^tidemark 1\.0\.0\nTides\n[\s\S]*TIDEMARK\n=+\n\nHigh water\?\[31m and low\.$/);
  expect(result.page).toMatch(/^tidemark 1\.0\.0/);
});

it('lists rules by theme, and tells one', async () => {
  const folder = temporaryFolder();
  const { result } = await bevelstoneJson(['verify', '--rules'], { cwd: folder });
  const run = await bevelstone(['verify', '--explain', 'node/browser-built-in'], { cwd: folder });
  const none = await bevelstoneJson(['verify', '--explain', 'node/browser-builtin'], { cwd: folder });

  expect(new Set(result.rules.map(({ theme }: { theme: string }) => theme))).toEqual(
    new Set(['archive', 'contents', 'metadata', 'node', 'python', 'jvm', 'dotnet', 'rust', 'go', 'native']),
  );
  expect(run.stdout).toMatch(/^node\/browser-built-in {2}refuse\n[\s\S]*example {2}dist\/browser\.js/);
  expect(none.error).toMatchObject({ code: 'RULE_NOT_FOUND', fix: 'Did you mean "node/browser-built-in"?' });
});

describe('what the configuration says of rules', () => {
  it('changes severity, excepts with a reason, and tells of an exception that excuses nothing', async () => {
    const w = await demoWorkspace();
    w.edit('bevelstone.yaml', (text) =>
      text.replace(
        / {4}verify:\n/,
        '    verify:\n      rules: { node/types-missing: refuse }\n      exceptions:\n        - { rule: contents/required-file, path: dist/none.js, reason: made by the harbour itself }\n        - { rule: contents/junk-nothing, reason: x }\n',
      ),
    );
    const broken = await bevelstoneJson(['verify'], { cwd: w.folder });
    w.edit('bevelstone.yaml', (text) =>
      text.replace(/ {8}- \{ rule: contents\/junk-nothing.*\n/, '').replace('require: [', 'require: [dist/none.js, '),
    );
    await bevelstone(['build', ...nodePackages], { cwd: w.folder });
    const { result, warnings } = await bevelstoneJson(['verify', '-p', 'tidemark'], { cwd: w.folder });
    const findings = result.artifacts.flatMap((artifact: { findings: object[] }) => artifact.findings);

    expect(broken.error?.code).toBe('CONFIG_INVALID');
    expect(findings).toContainEqual(
      expect.objectContaining({
        rule: 'contents/required-file',
        severity: 'note',
        excepted: 'made by the harbour itself',
      }),
    );
    expect(warnings).toEqual([]);
  });

  it('refuses dependencies by a licence policy', async () => {
    const w = await demoWorkspace();
    write(w.folder, {
      'package-lock.json': JSON.stringify({
        lockfileVersion: 3,
        packages: {
          '': {},
          'packages/tidemark': { dependencies: { store: '1' }, devDependencies: { tool: '1' } },
          'node_modules/store': { version: '1.0.0', license: 'AGPL-3.0-only' },
          'node_modules/tool': { version: '1.0.0', license: 'AGPL-3.0-only' },
        },
      }),
    });
    w.git('add', 'package-lock.json');
    w.edit('bevelstone.yaml', (text) =>
      text.replace(/ {4}verify:\n/, '    verify:\n      licences: { allow: [MIT], refuse: ["AGPL-*"] }\n'),
    );
    await bevelstone(['build', ...nodePackages], { cwd: w.folder });
    const { result, exitCode } = await bevelstoneJson(['verify', '-p', 'tidemark'], { cwd: w.folder });

    const told = result.artifacts
      .flatMap((artifact: { findings: { rule: string; message: string }[] }) => artifact.findings)
      .filter(({ rule }: { rule: string }) => rule === 'metadata/licence-policy');
    expect(exitCode).toBe(3);
    expect(new Set(told.map(({ message }: { message: string }) => message))).toEqual(
      new Set([
        'store 1.0.0 has the licence AGPL-3.0-only, which is refused by `verify.licences`',
        'the licence of @saltmarsh/lunar is unknown',
      ]),
    );
  });
});

itWith('dpkg-deb').each(['xz', 'gzip'])(
  'reads a Debian package packed with %s in the built program',
  async (packing) => {
    const folder = temporaryFolder();
    write(path.join(folder, 'stage'), {
      'DEBIAN/control':
        'Package: tides\nVersion: 1.0-1\nArchitecture: all\nMaintainer: Harbour desk <harbour@fenmarsh.example>\nDescription: Tides\n Of the estuary.\n',
      'etc/tides.conf': 'x',
    });
    execFileSync('dpkg-deb', ['--root-owner-group', `-Z${packing}`, '--build', 'stage', 'tides_1.0-1_all.deb'], {
      cwd: folder,
      stdio: 'ignore',
    });

    const { result } = await bevelstoneJson(['verify', 'tides_1.0-1_all.deb'], { cwd: folder });

    expect(result.artifacts[0].findings.map(({ rule }: { rule: string }) => rule)).toContain('native/deb-conffile');
  },
);

it('compares with the last release on record: what is lost, what is new, how much it grew', async () => {
  const w = await demoWorkspace();
  await bevelstone(['build', ...nodePackages], { cwd: w.folder });
  await bevelstone(['publish', '--push-tag', '--yes'], { cwd: w.folder, env: w.env });
  write(w.folder, {
    'packages/gauges/src/table.js': `export const table = "${'4.2 m '.repeat(9000)}${Math.random()}";\n`,
  });
  w.git('rm', '--quiet', '--force', 'packages/gauges/README.md');
  w.git('add', '--all');
  w.git('commit', '--quiet', '-m', 'feat(gauges): a table of its own');
  await bevelstone(['build', '-p', 'gauges'], { cwd: w.folder });

  const { result } = await bevelstoneJson(['verify', '-p', 'gauges'], { cwd: w.folder });
  const messages = result.artifacts[0].findings
    .filter(({ rule }: { rule: string }) => rule === 'contents/lost-file')
    .map(({ path: inside, message, severity }: { path: string; message: string; severity: string }) => [
      severity,
      inside,
      message,
    ]);

  expect(messages).toEqual(
    [
      ['warn', 'README.md', 'was in 0.2.1 and is not inside any more'],
      ['note', 'src/table.js', 'was not in 0.2.1'],
    ].map(([severity, inside, message]) => [severity, inside, `it ${message}`]),
  );
});

it('takes a whole folder of files together, and tells those that are none', async () => {
  const folder = temporaryFolder();
  const good = tarball(
    folder,
    'tidemark',
    { exports: { types: './i.d.ts', default: './i.js' } },
    { 'i.js': 'export {};', 'i.d.ts': 'export {};' },
  );
  write(folder, { 'notes.txt': 'tides' });

  const both = await bevelstoneJson(['verify', good, 'notes.txt'], { cwd: folder });
  const passed = await bevelstone(['verify', good], { cwd: folder });

  expect(both.error).toMatchObject({ code: 'ARCHIVE_UNKNOWN', where: { file: path.join(folder, 'notes.txt') } });
  expect(passed.stdout).toMatch(
    /^= passed {3}tidemark-1\.0\.0\.tgz {2}npm-tarball\n\n= 1 artifact verified: nothing refused$/,
  );
});

describe('after a release that stopped at its card', () => {
  it('explains the same artifacts, until a release is made', async () => {
    const w = await releaseWorkspace({ destinations: [] });
    const verify = () => bevelstoneJson(['verify'], { cwd: w.folder, env: w.env });

    expect((await verify()).error?.code).toBe('RELEASE_NOT_BUILT');
    expect((await w.release(['--dry-run'])).error).toBeNull();
    const dry = await verify();
    expect((await w.release()).error).toBeNull();
    const released = await verify();

    expect(dry.error).toBeNull();
    expect(dry.result.artifacts.map(({ file }: { file: string }) => path.basename(file))).toEqual([
      'soundings-0.1.0.tgz',
    ]);
    expect(released.result?.artifacts.length ?? 0).toBeGreaterThan(0);
  });
});
