import { execFileSync, spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { gzipSync } from 'node:zlib';
import { describe, expect, it } from 'vitest';
import { nupkgBytes, zipBytes } from '../builders/parcel.ts';
import { bevelstoneJson, programFile } from '../builders/program.ts';
import { releaseWorkspace } from '../builders/release-workspace.ts';
import { temporaryFolder } from '../builders/repository.ts';
import { opens } from '../builders/wait.ts';

/** A folder with a file, and perhaps a workspace around it. */
function folderWith(files: Readonly<Record<string, string | Buffer>>, config: string | null = null): string {
  const folder = temporaryFolder();
  for (const [name, content] of Object.entries(files)) {
    mkdirSync(path.dirname(path.join(folder, name)), { recursive: true });
    writeFileSync(path.join(folder, name), content);
  }
  if (config !== null) {
    execFileSync('git', ['init', '--quiet'], { cwd: folder });
    writeFileSync(path.join(folder, 'bevelstone.yaml'), config);
  }
  return folder;
}

describe('limits', () => {
  it('of the workspace hold for any file that is looked at, and the error names the key', async () => {
    const bytes = await zipBytes({ 'a.txt': 'a', 'b.txt': 'b', 'c.txt': 'c' });
    const cwd = folderWith({ 'x.zip': bytes }, 'schema: 1\nlimits: { entries: 2 }\n');

    const refused = await bevelstoneJson(['inspect', 'x.zip'], { cwd });
    writeFileSync(path.join(cwd, 'bevelstone.yaml'), 'schema: 1\nlimits: { entries: 3 }\n');
    const read = await bevelstoneJson(['inspect', 'x.zip'], { cwd });

    expect([refused.error?.code, refused.error?.fix]).toEqual([
      'ARCHIVE_TOO_LARGE',
      expect.stringContaining('limits.entries'),
    ]);
    expect(read.ok).toBe(true);
  });

  it('a configuration with mistakes does not keep anyone from looking at a file', async () => {
    const cwd = folderWith({ 'x.zip': await zipBytes({ 'a.txt': 'a' }) }, 'schema: 1\nlimits: { entries: many }\n');

    const read = await bevelstoneJson(['inspect', 'x.zip'], { cwd });
    expect([read.ok, read.warnings]).toEqual([true, [expect.stringContaining('the usual limits apply')]]);
  });

  it('a tar that declares more than it may unpack to ends at its header', async () => {
    const header = Buffer.alloc(512);
    header.write('a/x', 0);
    header.write('0000644\u00000000000\u00000000000\u000077777777777\u000000000000000\u0000        0', 100, 'latin1');
    header.write('ustar\u000000', 257, 'latin1');
    const sum = header.reduce((total, byte) => total + byte, 0);
    header.write(`${sum.toString(8).padStart(6, '0')}\u0000 `, 148, 'latin1');
    const cwd = folderWith({ 'x.tar.gz': gzipSync(Buffer.concat([header, Buffer.alloc(1024)])) });

    const run = await bevelstoneJson(['verify', 'x.tar.gz'], { cwd });

    expect([run.exitCode, run.error?.code, run.error?.why]).toEqual([
      3,
      'ARCHIVE_TOO_LARGE',
      expect.stringContaining('unpacks to more'),
    ]);
  });

  it('an SBOM beyond its limit is not read', async () => {
    const cwd = folderWith(
      { 'x.cdx.json': `{"bomFormat":"CycloneDX","x":"${'y'.repeat(5000)}"}` },
      'schema: 1\nlimits: { sbom: 4 kB }\n',
    );

    expect((await bevelstoneJson(['sbom', 'show', 'x.cdx.json'], { cwd })).error?.code).toBe('SBOM_UNREADABLE');
  });
});

describe('a hostile document', () => {
  const doctype = '<?xml version="1.0"?><!DOCTYPE a [<!ENTITY x SYSTEM "file:///etc/passwd">]>';
  it.each<[string, string, string | (() => Promise<Buffer>), string]>([
    ['a POM with a document type', 'x.pom', `${doctype}<project><name>&x;</name></project>`, 'archive/not-as-named'],
    [
      'a POM nested too deep',
      'x.pom',
      `<project>${'<a>'.repeat(5000)}${'</a>'.repeat(5000)}</project>`,
      'archive/not-as-named',
    ],
    [
      'a nuspec that is cut off',
      'Fenmarsh.Tides.1.0.0.nupkg',
      () => zipBytes({ '[Content_Types].xml': '<Types/>', 'Fenmarsh.Tides.nuspec': '<package><meta' }),
      'archive/not-as-named',
    ],
    [
      'a nuspec with a document type',
      'Fenmarsh.Tides.1.0.0.nupkg',
      () =>
        zipBytes({
          '[Content_Types].xml': '<Types/>',
          'Fenmarsh.Tides.nuspec': `${doctype}<package><metadata><id>&x;</id></metadata></package>`,
        }),
      'archive/not-as-named',
    ],
  ])('%s is refused, and never ends in an internal error', async (_, name, content, rule) => {
    const cwd = folderWith({ [name]: typeof content === 'string' ? content : await content() });

    const run = await bevelstoneJson(['verify', name], { cwd });

    expect(run.exitCode).toBe(3);
    expect(JSON.stringify(run.result)).toContain(rule);
  });

  it.each([
    [
      'aliases that multiply',
      `a: &a [${'x, '.repeat(9)}x]\nb: &b [${'*a, '.repeat(9)}*a]\nc: &c [${'*b, '.repeat(9)}*b]\nd: [${'*c, '.repeat(9)}*c]\n`,
    ],
    ['an alias without an anchor', 'packages: *nothing\n'],
    ['lists nested too deep', `${'- '.repeat(20_000)}x\n`],
    ['brackets nested too deep', '['.repeat(20_000)],
  ])('a configuration with %s is refused with its place', async (_, config) => {
    const cwd = folderWith({ 'package.json': '{"name":"tides","version":"1.0.0"}' }, config);

    const run = await bevelstoneJson(['config', 'check'], { cwd });

    expect([run.exitCode, run.error?.code]).toEqual([2, 'CONFIG_INVALID']);
  });

  it('a good one of each is read', async () => {
    const cwd = folderWith({ 'Fenmarsh.Tides.1.0.0.nupkg': await nupkgBytes('1.0.0') });

    const run = await bevelstoneJson(['verify', 'Fenmarsh.Tides.1.0.0.nupkg'], { cwd });

    expect(JSON.stringify(run.result)).not.toContain('archive/not-as-named');
  });
});

it('a release of a package that its manifest calls private stops at a gate', async () => {
  const w = await releaseWorkspace();
  const manifest = JSON.parse(readFileSync(path.join(w.folder, 'soundings/package.json'), 'utf8')) as object;
  w.commit('chore: keep it to ourselves', { 'soundings/package.json': JSON.stringify({ ...manifest, private: true }) });

  const run = await w.release();

  expect([run.exitCode, run.error?.code]).toEqual([3, 'GATES_REFUSED']);
  expect(`${run.error?.message} ${run.error?.why}`).toMatch(/publishable.*`private` is true/s);
});

it('an interrupt in the middle of a large archive ends the program, and does not blame the archive', async () => {
  const folder = temporaryFolder();
  const file = path.join(folder, 'tides.tar');
  const content = path.join(folder, 'tides.txt');
  writeFileSync(content, Buffer.alloc(300_000_000, 'height of tide 4.2 m at the quay\n'));
  execFileSync('tar', ['-cf', file, '-C', folder, 'tides.txt']);
  const program = spawn(process.execPath, [programFile, 'verify', file, '--json'], {
    stdio: ['ignore', 'pipe', 'ignore'],
  });
  let printed = '';
  program.stdout.on('data', (chunk) => {
    printed += chunk;
  });

  await opens(program.pid ?? 0, /tides\.tar$/);
  program.kill('SIGTERM');
  const [exitCode] = await once(program, 'close');

  expect([exitCode, JSON.parse(printed).error.code]).toEqual([130, 'INTERRUPTED']);
});
