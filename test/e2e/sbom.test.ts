import { execFileSync } from 'node:child_process';
import { mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { bevelstone, bevelstoneJson } from '../builders/program.ts';
import { temporaryFolder } from '../builders/repository.ts';
import { demoWorkspace, nodePackages } from '../builders/workspace.ts';

async function built() {
  const w = await demoWorkspace();
  await bevelstone(['build', ...nodePackages], { cwd: w.folder });
  return { ...w, out: path.join(w.folder, 'bevelstone-out') };
}

function write(folder: string, files: Readonly<Record<string, string>>): void {
  for (const [file, text] of Object.entries(files)) {
    mkdirSync(path.dirname(path.join(folder, file)), { recursive: true });
    writeFileSync(path.join(folder, file), text);
  }
}

/** A folder with code, a vendored copy, a lockfile below the first level, and one that is not read. */
function tideFolder(): string {
  const folder = path.join(temporaryFolder(), 'tides');
  write(folder, {
    'package.json': '{"name":"tides","version":"1.0.0","license":"MIT","dependencies":{"store":"^2"}}',
    'src/tide.js': '// SPDX-License-Identifier: MIT\n// SPDX-FileCopyrightText: 2026 Harbour desk\n',
    'src/tide.png': 'png',
    'src/tide.png.license': 'SPDX-License-Identifier: CC0-1.0\n',
    'deep/er/requirements.txt': `cache==1.2.0 --hash=sha256:${'ab'.repeat(32)}\n`,
    'third_party/tables/package.json': '{"name":"tables","version":"0.3.0","license":"ISC"}',
    'tides.lock': 'who knows',
    'node_modules/store/package.json': '{"name":"store","version":"2.1.0","license":"BSD-2-Clause"}',
    LICENSE: 'MIT License\n\nCopyright (c) 2026 Fenmarsh Tide Office\n',
  });
  return folder;
}

describe('the SBOMs of a release', () => {
  it('name the package, its files as sha256sum and sha1sum see them, its commit and what it needs', async () => {
    const { folder, out } = await built();
    const { result } = await bevelstoneJson(['sbom', 'write'], { cwd: folder });
    const place = path.join(out, 'gauges-0.2.1');
    const spdx = JSON.parse(readFileSync(path.join(place, 'gauges-0.2.1.spdx.json'), 'utf8'));
    execFileSync('tar', ['-xzf', 'gauges-0.2.1.tgz'], { cwd: place });

    expect(result.sboms.map(({ kind }: { kind: string }) => kind)).toEqual(['spdx', 'cyclonedx', 'spdx', 'cyclonedx']);
    for (const { fileName, checksums } of spdx.files) {
      const said = ['sha1sum', 'sha256sum'].map(
        (tool) => execFileSync(tool, [fileName], { cwd: place, encoding: 'utf8' }).split(' ')[0],
      );
      expect(checksums.map(({ checksumValue }: { checksumValue: string }) => checksumValue)).toEqual(said);
    }
    expect(
      spdx.packages.map(({ name, versionInfo }: { name: string; versionInfo: string }) => `${name} ${versionInfo}`),
    ).toContain('tidemark 1.4.0');
    expect(spdx.creationInfo.creators).toContain('Organization: Fenmarsh Tide Office');
  });

  it('are artifacts from then on: recorded, summed, the same when written again, and delivered to a folder', async () => {
    const { folder, out, env } = await built();
    await bevelstone(['sbom', 'write'], { cwd: folder });
    const sbom = path.join(out, 'tidemark-1.4.0/tidemark-1.4.0.spdx.json');
    const first = readFileSync(sbom, 'utf8');
    await bevelstone(['sbom', 'write'], { cwd: folder });
    const record = JSON.parse(readFileSync(path.join(out, 'tidemark-1.4.0/release.json'), 'utf8'));
    const summed = execFileSync('sha256sum', ['-c', 'SHA256SUMS'], {
      cwd: path.join(out, 'tidemark-1.4.0'),
      encoding: 'utf8',
    });
    const { result } = await bevelstoneJson(['publish', '--push-tag', '--yes'], { cwd: folder, env });

    expect(readFileSync(sbom, 'utf8')).toBe(first);
    expect(record.sboms.map(({ file }: { file: string }) => file)).toEqual([
      'tidemark-1.4.0.cdx.json',
      'tidemark-1.4.0.spdx.json',
    ]);
    expect(summed.match(/: OK$/gm)).toHaveLength(7);
    const deliveries = result.releases.flatMap(
      (release: { deliveries: { artifact: string; destination: string; confirmed: string }[] }) => release.deliveries,
    );
    expect(deliveries).toContainEqual(
      expect.objectContaining({ artifact: 'tidemark-1.4.0.spdx.json', destination: 'shelf', confirmed: 'bytes' }),
    );
    expect(deliveries).not.toContainEqual(
      expect.objectContaining({ artifact: 'tidemark-1.4.0.spdx.json', destination: 'office' }),
    );
  });
});

describe('the SBOM of a folder', () => {
  it('has every file, headers, copies, lockfiles at any depth, and says what it does not know', async () => {
    const folder = tideFolder();
    const { result, stdout } = await bevelstoneJson(['sbom', 'write', 'tides', '--to', 'sboms'], {
      cwd: path.dirname(folder),
    });
    const shown = await bevelstone(['sbom', 'write', 'tides', '--to', 'sboms'], { cwd: path.dirname(folder) });
    const cdx = JSON.parse(readFileSync(path.join(path.dirname(folder), 'sboms/tides-1.0.0.cdx.json'), 'utf8'));
    const files = cdx.metadata.component.components.filter(({ type }: { type: string }) => type === 'file');

    expect(stdout).not.toContain('node_modules');
    expect(result.sboms[0]).toMatchObject({ components: 3, files: 8, unread: ['tides.lock'] });
    expect(files.find(({ name }: { name: string }) => name === 'src/tide.png').licenses).toEqual([
      { license: { id: 'CC0-1.0' } },
    ]);
    expect(files.find(({ name }: { name: string }) => name === 'src/tide.js').copyright).toBe('2026 Harbour desk');
    expect(JSON.stringify(cdx)).toContain('pkg:pypi/cache@1.2.0');
    expect(JSON.stringify(cdx)).toContain('pkg:npm/tables@0.3.0');
    expect(shown.stdout).toMatch(
      /tides\.lock\s+.*not read[\s\S]*tides\.lock was found and not read[\s\S]*unknown {2}package\.json leaves open which version of store/,
    );
  });

  it('is checked against the folder: missing, extra and altered files are named', async () => {
    const folder = tideFolder();
    const cwd = path.dirname(folder);
    await bevelstone(['sbom', 'write', 'tides', '--to', 'sboms'], { cwd });
    const good = await bevelstone(['sbom', 'check', 'sboms/tides-1.0.0.spdx.json', '--against', 'tides'], { cwd });
    write(folder, { 'src/tide.js': 'changed', 'src/new.js': '' });
    execFileSync('rm', ['src/tide.png'], { cwd: folder });

    for (const kind of ['spdx', 'cdx']) {
      const bad = await bevelstoneJson(['sbom', 'check', `sboms/tides-1.0.0.${kind}.json`, '--against', 'tides'], {
        cwd,
      });
      expect(bad.exitCode).toBe(3);
      expect(bad.error?.code).toBe('SBOM_WRONG');
      expect(bad.result).toMatchObject({
        valid: true,
        missing: ['src/tide.png'],
        extra: ['src/new.js'],
        altered: ['src/tide.js'],
      });
    }
    expect(good.exitCode).toBe(0);
    expect(good.stdout).toMatch(/is valid SPDX 2\.3 and lists exactly the files of tides$/);
  });
});

it('merges, shows and compares SBOMs', async () => {
  const { folder } = await built();
  await bevelstone(['sbom', 'write', '--to', 'sboms'], { cwd: folder });
  expect(readdirSync(path.join(folder, 'sboms'))).toHaveLength(4);
  const [before, after] = ['tidemark-1.4.0', 'gauges-0.2.1'].map((name) => `sboms/${name}.spdx.json`) as [
    string,
    string,
  ];

  const merged = await bevelstoneJson(['sbom', 'merge', before, after, '--to', 'sboms/all.cdx.json'], { cwd: folder });
  const checked = await bevelstone(['sbom', 'check', 'sboms/all.cdx.json'], { cwd: folder });
  const shown = await bevelstone(['sbom', 'show', 'sboms/all.cdx.json'], { cwd: folder });
  const compared = await bevelstoneJson(['sbom', 'show', after, '--against', before], { cwd: folder });

  expect(merged.result.files).toBeGreaterThan(10);
  expect(checked.stdout).toMatch(/is valid CycloneDX 1\.6$/);
  expect(shown.stdout).toMatch(/^tidemark 1\.4\.0 {2}MIT\ngauges 0\.2\.1 {2}MIT\nCycloneDX 1\.6, /);
  expect(compared.result.added).toContainEqual({ name: 'tidemark', version: '1.4.0', licence: 'MIT' });
  expect(compared.result.added.map(({ name }: { name: string }) => name)).toContain('@saltmarsh/rings');
});

it('reads the lockfile above a folder, and writes what it shows as a page', async () => {
  const top = temporaryFolder();
  write(top, {
    'package-lock.json': JSON.stringify({
      lockfileVersion: 3,
      packages: {
        'packages/a': { dependencies: { store: '^2' } },
        'node_modules/store': { version: '2.1.0', license: 'MIT' },
      },
    }),
    'packages/a/package.json': '{"name":"a","version":"1.0.0","dependencies":{"store":"^2"}}',
    'packages/a/node_modules/store/package.json': '{"name":"store","version":"2.1.0","license":"ISC"}',
  });
  execFileSync('git', ['init', '--quiet'], { cwd: top });
  const options = { cwd: path.join(top, 'packages') };
  const written = await bevelstoneJson(['sbom', 'write', 'a', '--to', 'sboms'], options);
  const { result } = await bevelstoneJson(['sbom', 'show', 'sboms/a-1.0.0.spdx.json', '--page', 'a.html'], options);

  expect(written.result.sources).toMatchObject([{ path: 'package-lock.json', direct: 1, lacking: [], unread: null }]);
  expect(result).toMatchObject({
    format: 'SPDX 2.3',
    complete: true,
    components: [{ name: 'store', licence: 'MIT', party: 'third', foundIn: ['package-lock.json'] }],
    page: 'a.html',
  });
  expect(readFileSync(path.join(top, 'packages/a.html'), 'utf8')).toContain('What is in a 1.0.0');
});

it.each([
  ['spdx', { spdxVersion: 'SPDX-2.1' }, 3, /is not valid SPDX 2\.1/],
  [
    'cdx',
    { bomFormat: 'CycloneDX', specVersion: '1.7' },
    0,
    /is CycloneDX 1\.7, which Bevelstone reads and does not check/,
  ],
])('names the version of an SBOM from outside: %s', async (_, json, exitCode, said) => {
  const folder = temporaryFolder();
  write(folder, { 'theirs.json': JSON.stringify(json) });

  const run = await bevelstone(['sbom', 'check', 'theirs.json'], { cwd: folder });

  expect(run.exitCode).toBe(exitCode);
  expect(run.stdout).toMatch(said);
});

it.each([
  [['sbom', 'check', 'none.json'], 'FILE_NOT_FOUND', 2],
  [['sbom', 'check', '.'], 'FILE_NOT_FOUND', 2],
  [['sbom', 'check', 'broken.json'], 'SBOM_UNREADABLE', 2],
  [['sbom', 'write', 'nowhere'], 'FILE_NOT_FOUND', 2],
  [['sbom', 'write', 'broken.json'], 'ARCHIVE_UNKNOWN', 3],
  [['sbom', 'merge', 'broken.json', '--to', 'x.json'], 'SBOM_UNREADABLE', 2],
  [['sbom', 'write', '.', '--to', 'broken.json/x'], 'FILE_UNWRITABLE', 2],
])('%j ends with %s', async (args, code, exitCode) => {
  const folder = temporaryFolder();
  write(folder, { 'broken.json': '{"a": 1}' });

  const run = await bevelstoneJson(args, { cwd: folder });

  expect([run.error?.code, run.exitCode]).toEqual([code, exitCode]);
  expect(readdirSync(folder)).toEqual(['broken.json']);
});

it('shows an SBOM from outside without its escapes, even one that is a single long chain', async () => {
  const folder = temporaryFolder();
  const components = Array.from({ length: 20_000 }, (_, index) => ({
    type: 'library',
    'bom-ref': `c${index}`,
    name: `c${index}`,
    version: '1\u001b[31m',
  }));
  const dependencies = components.map((_, index) => ({
    ref: `c${index}`,
    dependsOn: index === 0 ? [] : [`c${index - 1}`],
  }));
  const main = { type: 'library', 'bom-ref': 'top', name: 'top' };
  const document = {
    bomFormat: 'CycloneDX',
    specVersion: '1.6',
    metadata: { component: main },
    components,
    dependencies: [...dependencies, { ref: 'top', dependsOn: ['c19999'] }],
  };
  write(folder, {
    'long.cdx.json': JSON.stringify(document),
    'none.cdx.json': '{"bomFormat":"CycloneDX","specVersion":"1.6"}',
  });

  const shown = await bevelstone(['sbom', 'show', 'long.cdx.json'], { cwd: folder });
  const compared = await bevelstone(['sbom', 'show', 'long.cdx.json', '--against', 'none.cdx.json'], { cwd: folder });

  expect(shown.stdout.split('\n')[4]).toMatch(/^ {2}c19999 1\?\[31m {2}licence unknown$/);
  expect(compared.stdout).toMatch(/^added\n {2}c0 1\?\[31m/);
  expect(shown.stdout + compared.stdout).not.toContain('\u001b');
});
