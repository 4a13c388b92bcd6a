import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { bevelstone, bevelstoneJson } from '../builders/program.ts';
import { TestRepository, temporaryFolder, testEnvironment } from '../builders/repository.ts';

const declarations = `/** Heights at the bar. */
export declare function height(port: string): number;
/** Left over from the first version. */
export declare function mean(heights: number[]): number;
`;
const code = `export const height = (port) => port.length;
export const mean = (heights) => heights.length;
`;

/** A package with declarations that was released once, to a folder. */
async function releasedPackage(version: string, surface: object = {}, build: readonly string[] = []) {
  const shelf = path.join(temporaryFolder(), 'shelf');
  const config = {
    schema: 1,
    supplier: 'Fenmarsh Tide Office',
    history: { first: version },
    packages: { heights: { folder: '.', 'send-to': ['shelf'], surface, build, artifacts: [{ form: 'npm-tarball' }] } },
    destinations: { shelf: { speaks: 'folder', url: shelf } },
  };
  const manifest = {
    name: 'heights',
    version: '0.0.0',
    description: 'Heights at the bar',
    license: 'MIT',
    type: 'module',
    exports: { '.': { types: './index.d.ts', default: './index.js' } },
    files: ['index.js', 'index.d.ts'],
  };
  return {
    shelf,
    ...(await released({
      'bevelstone.yaml': JSON.stringify(config, null, 2),
      'package.json': `${JSON.stringify(manifest, null, 2)}\n`,
      'README.md': '# heights\n\nHeights at the bar, from the tables of the tide office.\n',
      LICENSE: 'MIT License\n\nPermission is hereby granted\n',
      '.gitignore': 'bevelstone-out/\n',
      'index.js': code,
      'index.d.ts': declarations,
    })),
  };
}

/** A repository of these files with a remote, whose first release is done. */
async function released(files: Readonly<Record<string, string>>) {
  const repository = new TestRepository(files, 'feat: first tables');
  const remote = path.join(temporaryFolder(), 'remote.git');
  execFileSync('git', ['init', '--quiet', '--bare', remote], { env: testEnvironment() });
  repository.git('reset', '--quiet', '--hard');
  repository.git('remote', 'add', 'origin', remote);
  repository.git('push', '--quiet', '--set-upstream', 'origin', 'main');
  const run = (args: readonly string[]) => bevelstoneJson(args, { cwd: repository.folder });
  const first = await run(['release', '--yes']);
  expect(first.error).toBeNull();
  const change = (message: string, files: Readonly<Record<string, string>>) => {
    repository.commit(message, { files });
    repository.git('reset', '--quiet', '--hard');
    repository.git('push', '--quiet');
  };
  return { repository, folder: repository.folder, run, change };
}

const withoutMean = {
  'index.js': 'export const height = (port) => port.length;\n',
  'index.d.ts': 'export declare function height(port: string): number;\n',
};

describe('a release that removes an export', () => {
  it('is refused under `fix`, before the card, with what breaks and the way out', async () => {
    const { run, change, repository } = await releasedPackage('1.0.0');
    change('fix: tidy up', withoutMean);
    const head = repository.head;

    const refused = await run(['release', '--yes']);

    expect([refused.exitCode, refused.error?.code]).toEqual([3, 'SURFACE_UNDERSTATED']);
    expect(refused.error?.message).toContain('heights 1.0.1 is too small');
    expect(refused.error?.message).toContain('at least 2.0.0');
    expect(refused.error?.problems?.map(({ message, fix }) => [message, fix])).toEqual([
      ['mean: it is no longer exported', 'heights-1.0.1.tgz, before: index.d.ts:4'],
    ]);
    expect(repository.git('tag', '--list')).toBe('v1.0.0');
    expect(repository.git('rev-parse', 'origin/main')).toBe(head);

    const raised = await run(['release', '--yes', '--raise', 'major', '--because', 'mean is gone']);
    expect(raised.error).toBeNull();
    expect(raised.result.releases[0].version).toBe('2.0.0');
  });

  it('is released where an exception accepts it, which the card shows; the ledger keeps a digest of the surface', async () => {
    const { run, change, folder } = await releasedPackage('1.0.0');
    const config = JSON.parse(readFileSync(path.join(folder, 'bevelstone.yaml'), 'utf8'));
    config.packages.heights.surface = { exceptions: [{ name: 'mean', reason: 'never documented anywhere' }] };
    change('fix: tidy up', { ...withoutMean, 'bevelstone.yaml': JSON.stringify(config, null, 2) });

    const shown = await bevelstone(['release', '--dry-run'], { cwd: folder });
    expect(shown.stdout + shown.stderr).toContain('mean: never documented anywhere');

    const released = await run(['release', '--yes']);
    expect(released.error).toBeNull();
    expect(released.result.releases[0].version).toBe('1.0.1');
    const recorded = await run(['ledger', 'show', 'heights@1.0.1', '--against', 'heights@1.0.0']);
    expect(recorded.result.artifacts[0].surface).toMatch(/^[0-9a-f]{64}$/);
    expect(recorded.result.against.surfaces[0].differences.map(({ name }: { name: string }) => name)).toEqual(['mean']);
  });

  it('is only warned of below 1.0.0, and counts as a minor version there', async () => {
    const { run, change } = await releasedPackage('0.1.0');
    change('fix: tidy up', withoutMean);

    const released = await run(['release', '--yes']);

    expect(released.error).toBeNull();
    expect(released.result.releases[0].version).toBe('0.1.1');
    expect(released.warnings.join('\n')).toContain('heights 0.1.1 is too small');
    expect(released.warnings.join('\n')).toContain('at least 0.2.0');
  });

  it('passes without a word with `step: off`', async () => {
    const { run, change } = await releasedPackage('1.0.0', { step: 'off' });
    change('fix: tidy up', withoutMean);

    const released = await run(['release', '--yes']);

    expect([released.error, released.result.releases[0].version]).toEqual([null, '1.0.1']);
    expect(released.warnings.join('\n')).not.toContain('surface');
  });
});

describe('the earlier artifact', () => {
  it.each<[string, (places: { folder: string; shelf: string }) => void, string]>([
    ['as it was built here', () => {}, 'built here'],
    [
      'from where it was delivered',
      ({ folder }) => rmSync(path.join(folder, 'bevelstone-out'), { recursive: true }),
      'fetched from shelf',
    ],
    [
      'by a build from its tag',
      ({ folder, shelf }) => {
        rmSync(path.join(folder, 'bevelstone-out'), { recursive: true });
        rmSync(shelf, { recursive: true });
      },
      'built again from its tag',
    ],
  ])('is taken %s', async (_, lose, from) => {
    const { run, folder, shelf, change } = await releasedPackage('1.0.0');
    change('feat: trend', { 'index.d.ts': `${declarations}export declare const trend: 'up' | 'down';\n` });
    lose({ folder, shelf });
    expect((await run(['build'])).error).toBeNull();

    const compared = await run(['surface', 'heights', '--against', 'last']);

    expect(compared.result.against).toBe(`heights 1.0.0 (${from})`);
    expect(
      compared.result.differences.map(({ name, effect }: { name: string; effect: string }) => [name, effect]),
    ).toEqual([['trend', 'addition']]);
    expect(compared.result.step).toBe('minor');
  });

  it('that cannot be had is a warning, and the release goes on', async () => {
    const tool = path.join(temporaryFolder(), 'tool');
    writeFileSync(tool, '');
    const { run, folder, shelf, change } = await releasedPackage('1.0.0', {}, [`test -e ${tool}`]);
    const config = JSON.parse(readFileSync(path.join(folder, 'bevelstone.yaml'), 'utf8'));
    config.packages.heights.build = [];
    change('fix: speed', { 'index.js': `${code}// faster\n`, 'bevelstone.yaml': JSON.stringify(config, null, 2) });
    // The last release builds only with a tool that is gone by now.
    for (const place of [tool, shelf, path.join(folder, 'bevelstone-out')]) rmSync(place, { recursive: true });

    const released = await run(['release', '--yes']);

    expect(released.error).toBeNull();
    const warning = released.warnings.find((text: string) => text.includes('was not compared'));
    expect(warning).toContain('the public surface of heights-1.0.1.tgz was not compared with heights 1.0.0');
    expect(warning).toContain('cannot be built again');
  });
});

describe('survey', () => {
  it('shows the step of the surface beside that of the commits when asked, and builds for it', async () => {
    const { run, change, folder } = await releasedPackage('1.0.0');
    change('fix: tidy up', withoutMean);

    const plain = await run(['survey']);
    expect(plain.result.packages[0].surface).toBeUndefined();

    const asked = await run(['survey', '--surface']);
    expect(asked.result.packages[0]).toMatchObject({
      next: '1.0.1',
      weight: 'patch',
      surface: [{ step: 'major', smallest: '2.0.0', understated: true }],
    });
    const text = await bevelstone(['survey', '--surface'], { cwd: folder });
    expect(text.stdout).toMatch(/heights\s+1\.0\.0\s+1\.0\.1\s+patch\s+major/);
    expect(existsSync(path.join(folder, 'bevelstone-out/heights-1.0.1'))).toBe(false);
  });
});

/** A Python package with a wheel, a source distribution and an archive of any files, released once. */
async function releasedPython() {
  const config = {
    schema: 1,
    supplier: 'Fenmarsh Tide Office',
    history: { first: '1.0.0' },
    packages: {
      depths: {
        folder: 'py',
        'send-to': ['shelf'],
        artifacts: [
          { form: 'wheel' },
          { form: 'sdist' },
          { form: 'tar.gz', name: '{package}-{version}-files.tar.gz', files: [{ from: 'src' }] },
        ],
      },
    },
    destinations: { shelf: { speaks: 'folder', url: path.join(temporaryFolder(), 'shelf') } },
  };
  const project = [
    'name = "depths"',
    'version = "0.0.0"',
    'description = "Depths at the bar"',
    'license = "MIT"',
    'readme = "README.md"',
  ];
  return released({
    'bevelstone.yaml': JSON.stringify(config, null, 2),
    'py/pyproject.toml': `[project]\n${project.join('\n')}\n`,
    'py/README.md': '# depths\n\nDepths at the bar, from the tables of the tide office.\n',
    'py/LICENSE': 'MIT License\n\nPermission is hereby granted\n',
    '.gitignore': 'bevelstone-out/\n',
    'py/src/depths/__init__.py': python,
  });
}

const python = 'def depth(port):\n    return len(port)\n\n\ndef mean(depths):\n    return len(depths)\n';

describe('a package of another ecosystem', () => {
  it('is compared once where two of its forms have the same surface, and never for an archive of any files', async () => {
    const { run, folder, change, repository } = await releasedPython();
    change('fix: depths without a mean', { 'py/src/depths/__init__.py': python.split('\n\n\n')[0] ?? '' });

    const { exitCode, error, warnings } = await run(['release', '--yes']);

    expect([exitCode, error?.code]).toEqual([3, 'SURFACE_UNDERSTATED']);
    expect(warnings).toEqual([]);
    const text = await bevelstone(['surface', 'depths', '--against', 'last'], { cwd: folder });
    expect(text.stdout).toContain('depths-1.0.1-py3-none-any.whl');
    expect(text.stdout).not.toContain('.tar.gz');
    expect(text.stdout).toMatch(/mean .*it was removed\n\s+before\s+def mean\(depths\)\s+depths\/__init__\.py:5/);
    expect(repository.git('tag', '--list').split('\n')).toHaveLength(1);
  });

  it('can be given as two files', async () => {
    const folder = temporaryFolder();
    const crate = (version: string, text: string) => {
      const name = `depths-${version}`;
      mkdirSync(path.join(folder, name, 'src'), { recursive: true });
      writeFileSync(path.join(folder, name, 'Cargo.toml'), `[package]\nname = "depths"\nversion = "${version}"\n`);
      writeFileSync(path.join(folder, name, 'src/lib.rs'), text);
      execFileSync('tar', ['-czf', `${name}.crate`, name], { cwd: folder });
    };
    crate('1.0.0', 'pub enum Port { Bar }\n');
    crate('1.1.0', 'pub enum Port { Bar, Quay }\n');

    const { result } = await bevelstoneJson(['surface', 'depths-1.1.0.crate', '--against', 'depths-1.0.0.crate'], {
      cwd: folder,
    });

    expect(result).toMatchObject({
      form: 'crate',
      step: 'major',
      differences: [{ name: 'Port::Quay', effect: 'breaking', newPlace: { file: 'src/lib.rs', line: 1 } }],
    });
  });

  it('that is an archive without a library has none', async () => {
    const folder = temporaryFolder();
    writeFileSync(path.join(folder, 'README.md'), '# depths\n');
    execFileSync('tar', ['-czf', 'depths.tar.gz', 'README.md'], { cwd: folder });

    const { error, exitCode } = await bevelstoneJson(['surface', 'depths.tar.gz'], { cwd: folder });

    expect([error?.code, exitCode]).toEqual(['SURFACE_UNREADABLE', 2]);
    expect(error?.why).toContain('nothing inside is a library');
  });
});

describe('the page', () => {
  it('shows each difference with both places, and loads nothing', async () => {
    const { run, folder, change } = await releasedPackage('1.0.0');
    change('feat: days', {
      'index.d.ts': declarations.replace('port: string', 'port: string, day: Date'),
    });
    await run(['build']);

    await run(['surface', 'heights', '--against', 'last', '--page', 'surface.html']);

    const page = readFileSync(path.join(folder, 'surface.html'), 'utf8');
    expect(page).toContain('it needs 2 arguments, not 1');
    expect(page).toContain('height(port: string, day: Date): number');
    expect(page).toContain('index.d.ts:2');
    expect(page).not.toMatch(/<script|https?:\/\//);
  });
});

describe('a file that has no surface', () => {
  it.each([
    ['a file that is not there', ['surface', 'nowhere.tgz'], 'FILE_NOT_FOUND', 2],
    ['a package that is not here', ['surface', 'depths'], 'FILE_NOT_FOUND', 2],
    ['a file that is no archive', ['surface', 'index.js'], 'ARCHIVE_UNKNOWN', 3],
    ['an unknown version', ['surface', 'heights@9.9.9'], 'RELEASE_NOT_BUILT', 2],
  ])('such as %s ends in a clear error', async (_, args, code, exitCode) => {
    const { run } = await releasedPackage('1.0.0');

    const { error, exitCode: found } = await run(args);

    expect([error?.code, found]).toEqual([code, exitCode]);
  });
});
