import { existsSync, readdirSync, readFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { bevelstone, bevelstoneJson } from '../builders/program.ts';
import { temporaryFolder } from '../builders/repository.ts';
import { demoWorkspace, nodePackages, type TestWorkspace } from '../builders/workspace.ts';

async function built(...more: string[]): Promise<TestWorkspace & { readonly out: string }> {
  const w = await demoWorkspace();
  await bevelstone(['build', ...nodePackages, ...more], { cwd: w.folder });
  return { ...w, out: 'bevelstone-out/tidemark-1.4.0/tidemark-1.4.0.tgz' };
}

describe('inspect', () => {
  it('shows what the manifest says, for whom it is, and every entry, as a table or a tree', async () => {
    const { folder, out } = await built('-p', 'tidemark-py');

    const table = await bevelstone(['inspect', out], { cwd: folder });
    const tree = await bevelstone(['inspect', out, '--tree'], { cwd: folder });
    const wheel = await bevelstoneJson(
      ['inspect', 'bevelstone-out/tidemark-py-1.3.1/tidemark_py-1.3.1-py3-none-any.whl'],
      { cwd: folder },
    );

    expect(table.stdout).toMatch(
      /^tidemark 1\.4\.0 {2}npm-tarball\n[\s\S]*licence MIT\n[\s\S]* {2}for conditions types, browser/,
    );
    expect(table.stdout).toMatch(/0644\s+\S+ B\s+[0-9a-f]{8}\s+package\/dist\/browser\.js|kB/);
    expect(tree.stdout).toMatch(/ {4}package\/ {2}6 files, [\d.]+ kB\n {6}dist\/ {2}3 files/);
    expect(wheel.result).toMatchObject({
      form: 'wheel',
      version: '1.3.1',
      targets: ['tag py3-none-any'],
      metadata: { Name: 'tidemark-py' },
    });
  });

  it('gives every entry and the artifact the digests that build recorded', async () => {
    const { folder } = await built('-p', 'tidemark-py');
    for (const release of readdirSync(path.join(folder, 'bevelstone-out'))) {
      const place = path.join(folder, 'bevelstone-out', release);
      const list = JSON.parse(readFileSync(path.join(place, 'CONTENTS.json'), 'utf8'));
      for (const artifact of list.artifacts) {
        const { result } = await bevelstoneJson(['inspect', path.join(place, artifact.file)], { cwd: folder });
        expect([artifact.file, result.contentDigest]).toEqual([artifact.file, artifact.contentDigest]);
        const digests = (entries: { path: string; sha256: string }[]) =>
          entries.map((entry) => `${entry.sha256} ${entry.path}`);
        expect(digests(result.entries)).toEqual(digests(artifact.entries));
      }
    }
  });

  it('says who gets which file', async () => {
    const { folder, out } = await built();

    const { result } = await bevelstoneJson(['inspect', out, '--picks'], { cwd: folder });
    const shown = await bevelstone(['inspect', out, '--picks'], { cwd: folder });

    expect(result.picks).toEqual([
      { consumer: 'server import', entry: '.', file: 'dist/node.js' },
      { consumer: 'server require', entry: '.', file: 'dist/node.js' },
      { consumer: 'bundler for the browser', entry: '.', file: 'dist/browser.js' },
      { consumer: 'type checker', entry: '.', file: 'dist/index.d.ts' },
    ]);
    expect(shown.stdout).toMatch(/\.\s+server import\s+dist\/node\.js/);
  });

  it('compares with another file: entries, sizes, dependencies, entry points', async () => {
    const { folder, out, edit } = await built();
    const before = path.join(temporaryFolder(), 'before.tgz');
    const fs = await import('node:fs/promises');
    await fs.copyFile(path.join(folder, out), before);
    edit('packages/tidemark/package.json', (text) =>
      text
        .replace('"browser": "./dist/browser.js"', '"browser": "./dist/node.js"')
        .replace('"dependencies": {', '"dependencies": {\n    "moon": "^1.0.0",'),
    );
    edit('packages/tidemark/README.md', (text) => `${text}\nMore.\n`);
    await bevelstone(['build', '-p', 'tidemark'], { cwd: folder });

    const { result } = await bevelstoneJson(['inspect', out, '--against', before], { cwd: folder });

    expect(result).toMatchObject({ added: [], removed: [] });
    expect(result.changed.map((item: { path: string }) => item.path)).toEqual(['README.md', 'package.json']);
    expect(result.dependencies).toEqual([{ name: 'moon', before: null, after: '^1.0.0' }]);
    expect(result.entryPoints).toEqual([
      { name: '. for bundler for the browser', before: 'dist/browser.js', after: 'dist/node.js' },
    ]);
  });

  it('compares with the last release by the ledger alone', async () => {
    const { folder, out, env, edit } = await built();
    await bevelstone(['publish', ...nodePackages, '--push-tag', '--yes'], { cwd: folder, env });
    const none = await bevelstoneJson(['inspect', out, '--against', 'last'], { cwd: folder });
    edit('packages/tidemark/README.md', (text) => `${text}\nMore.\n`, 'fix: say more');
    await bevelstone(['build', '-p', 'tidemark'], { cwd: folder });

    const { result } = await bevelstoneJson(
      ['inspect', 'bevelstone-out/tidemark-1.4.1/tidemark-1.4.1.tar.gz', '--against', 'last'],
      { cwd: folder },
    );

    expect(none.error).toMatchObject({
      code: 'RELEASE_NOT_BUILT',
      why: expect.stringContaining('npm-tarball of tidemark'),
    });
    expect(result).toMatchObject({ against: 'tidemark 1.4.0', added: [], removed: [], dependencies: null });
    expect(result.changed.map((item: { path: string }) => item.path)).toEqual([
      'README.md',
      'lib/browser.js',
      'lib/node.js',
    ]);
  });

  it('lists what was left behind, grouped by reason', async () => {
    const { folder, out } = await built();

    const { result } = await bevelstoneJson(['inspect', out, '--left-behind'], { cwd: folder });

    expect(result.leftBehind).toContainEqual({
      path: 'src/tide.js',
      reason: '`files` in package.json does not list it',
    });
    expect(result.leftBehind.map((item: { path: string }) => item.path)).not.toContain('README.md');
  });

  it('prints one entry byte for byte, and extracts all into a folder', async () => {
    const { folder, out } = await built();
    const target = path.join(temporaryFolder(), 'out');

    const printed = await bevelstone(['inspect', out, '--print', 'package/LICENSE'], { cwd: folder });
    const extracted = await bevelstone(['inspect', out, '--extract', target], { cwd: folder });
    const again = await bevelstoneJson(['inspect', out, '--extract', target], { cwd: folder });

    expect(`${printed.stdout}\n`).toBe(readFileSync(path.join(folder, 'packages/tidemark/LICENSE'), 'utf8'));
    const missing = await bevelstone(['inspect', out, '--print', 'LICENSE'], { cwd: folder });
    expect(missing.stderr).toMatch(/ENTRY_NOT_FOUND[\s\S]*Did you mean "package\/LICENSE"/);
    expect(extracted.exitCode).toBe(0);
    expect(existsSync(path.join(target, 'package/dist/browser.js'))).toBe(true);
    expect(again.error?.code).toBe('EXTRACT_UNSAFE');
  });

  it.each([
    [['--picks'], 'USAGE'],
    [['--left-behind'], 'RELEASE_NOT_BUILT'],
    [['--against', 'nowhere.tgz'], 'FILE_NOT_FOUND'],
  ])('%j of a file from elsewhere is refused with %s', async (args, code) => {
    const { folder } = await built();
    const elsewhere = path.join(temporaryFolder(), 'theirs.tar.gz');
    const fs = await import('node:fs/promises');
    await fs.copyFile(path.join(folder, 'bevelstone-out/tidemark-1.4.0/tidemark-1.4.0.tar.gz'), elsewhere);

    const run = await bevelstoneJson(['inspect', elsewhere, ...args], { cwd: folder });

    expect(run.error?.code).toBe(code);
  });
});
