import { execFile, execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, realpathSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { layOut } from '../../src/flow/demo/demo.ts';
import { type Supplies, startSupplies } from '../../src/flow/demo/supplies.ts';
import { hostPlatform } from '../../src/world/platform.ts';
import { testContext } from '../builders/context.ts';
import { bevelstoneJson } from '../builders/program.ts';
import { TestRepository, temporaryFolder } from '../builders/repository.ts';
import { hasTool, itWith } from '../builders/tools.ts';

// The packages of the demo, built once, each given to the client of its own ecosystem.
let top: string;
let out: string;
let supplies: Supplies;
const hasCompiler = hasTool('cc');
const hasJava = hasTool('javac');
const packages = [
  'tidemark-py',
  ...(hasCompiler ? ['harmonics', 'Fenmarsh.Tides'] : []),
  ...(hasJava ? ['tidemark-jvm'] : []),
];

beforeAll(async () => {
  top = realpathSync(mkdtempSync(path.join(tmpdir(), 'bevelstone-installers-')));
  supplies = await startSupplies(top, () => new Date());
  const folder = path.join(top, 'fenmarsh-tides');
  await layOut(testContext(top), top, folder);
  const run = await bevelstoneJson(['build', ...packages.flatMap((name) => ['-p', name])], { cwd: folder });
  if (!run.ok) throw new Error(run.stderr);
  out = path.join(folder, 'bevelstone-out');
});
afterAll(async () => {
  await supplies.standin.close();
  rmSync(top, { recursive: true, force: true });
});

function run(program: string, args: readonly string[], cwd = top): string {
  return execFileSync(program, [...args], {
    cwd,
    encoding: 'utf8',
    env: { PATH: process.env['PATH'] ?? '', HOME: top },
  });
}

function artifact(ending: string): string {
  const found = readdirSync(out, { recursive: true, encoding: 'utf8' }).find((file) => file.endsWith(ending));
  if (found === undefined) throw new Error(`no artifact ${ending}`);
  return path.join(out, found);
}

/** Installs a file into a fresh environment, what it needs from the supplies. @returns the environment's interpreter. */
async function installByPip(file: string): Promise<string> {
  const place = temporaryFolder();
  run('python3', ['-m', 'venv', place]);
  const python = path.join(place, 'bin/python');
  const index = `${supplies.standin.url}python/simple/`;
  // Not in step: the index is served by this very process.
  await promisify(execFile)(
    python,
    ['-m', 'pip', 'install', '--index-url', index, '--no-cache-dir', '--disable-pip-version-check', file],
    { cwd: top, env: { PATH: process.env['PATH'] ?? '', HOME: top } },
  );
  return python;
}

describe('pip', () => {
  itWith('python3', 'python3-venv').each([
    ['py3-none-any.whl', 'the wheel'],
    ['tidemark_py-1.3.1.tar.gz', 'the sdist, through its in-tree backend'],
  ])('installs %s, %s, and reads its metadata back', async (ending) => {
    const python = await installByPip(artifact(ending));

    const question = 'import importlib.metadata as m, json; d = m.metadata("tidemark-py"); print(json.dumps(d.json))';
    const metadata = JSON.parse(run(python, ['-c', question]));
    expect(metadata).toMatchObject({
      name: 'tidemark-py',
      version: '1.3.1',
      summary: 'Tide heights and tide tables for the Fenmarsh estuary',
      license_expression: 'MIT',
      requires_python: '>=3.9',
      description_content_type: 'text/markdown; charset=UTF-8; variant=GFM',
      project_url: ['Source, https://git.fenmarsh.example/tides'],
    });
    expect(metadata.description).toContain('# tidemark-py');
    expect(run(path.join(path.dirname(python), 'fenmarsh-tides'), [])).toMatch(/^Fenmarsh Bar +(?:high|low)/);
    expect(run(python, ['-m', 'pip', 'check', '--disable-pip-version-check'])).toContain('No broken requirements');
  });

  (hostPlatform() === 'linux-x64' ? itWith('python3', 'python3-venv') : it.skip)(
    'installs a wheel with an extension module by the tag that its name gives',
    async () => {
      const suffix = run('python3', ['-c', 'import sysconfig; print(sysconfig.get_config_var("EXT_SUFFIX"))']).trim();
      const r = new TestRepository({
        'bevelstone.yaml':
          'schema: 1\npackages:\n  tides: { platforms: [linux-x64], build: ["touch src/tides/_fast$SUFFIX"], artifacts: [{ form: wheel }] }\n'.replace(
            '$SUFFIX',
            suffix,
          ),
        'pyproject.toml': '[project]\nname = "tides"\ndynamic = ["version"]\n',
        'src/tides/__init__.py': '',
      });
      r.checkOut();
      const { result } = await bevelstoneJson(['build'], { cwd: r.folder });
      const [release] = result.releases;
      const python = await installByPip(path.join(release.folder, release.artifacts[0].file));

      expect(release.artifacts[0]).toMatchObject({
        platform: 'linux-x64',
        file: expect.stringMatching(/^tides-0\.1\.0-cp\d+-cp\d+-linux_x86_64\.whl$/),
      });
      expect(run(python, ['-c', 'import importlib.util as u; print(u.find_spec("tides._fast").origin)'])).toContain(
        `_fast${suffix}`,
      );
    },
  );

  itWith('python3')('finds in RECORD what is in the wheel, digest by digest', () => {
    const check = `import base64, csv, hashlib, io, sys, zipfile
archive = zipfile.ZipFile(sys.argv[1])
record = next(name for name in archive.namelist() if name.endswith('/RECORD'))
rows = list(csv.reader(io.StringIO(archive.read(record).decode())))
assert sorted(row[0] for row in rows) == sorted(archive.namelist()), rows
for name, digest, size in rows:
    if name == record: continue
    content = archive.read(name)
    assert digest == 'sha256=' + base64.urlsafe_b64encode(hashlib.sha256(content).digest()).rstrip(b'=').decode(), name
    assert int(size) == len(content), name
print(len(rows), archive.namelist()[-1] == record)`;

    expect(run('python3', ['-c', check, artifact('.whl')])).toBe('11 True\n');
  });
});

describe('the JVM', () => {
  const itHere = hasJava ? itWith('java') : itWith('javac');
  itHere('runs the jar from its class path, with version and module name in the manifest', () => {
    const jar = artifact('tidemark-jvm-1.4.0.jar');

    const printed = run('java', ['-cp', jar, 'example.fenmarsh.tides.TideTable', '2026-07-01T00:00:00Z']);
    const module = run('java', ['--module-path', jar, '--describe-module', 'example.fenmarsh.tidemark.jvm']);

    expect(printed).toMatch(/^tidemark-jvm 1\.4\.0: Fenmarsh Bar \d\.\d\d m$/m);
    expect(module).toMatch(/^example\.fenmarsh\.tidemark\.jvm@1\.4\.0 .* automatic$/m);
  });

  itHere('reads the manifest as the first entry, also when it streams', () => {
    const source = path.join(temporaryFolder(), 'First.java');
    writeFileSync(
      source,
      `import java.io.*; import java.util.jar.*;
class First { public static void main(String[] a) throws IOException {
  try (JarInputStream in = new JarInputStream(new FileInputStream(a[0]))) {
    System.out.println(in.getManifest().getMainAttributes().getValue("Implementation-Title")); } } }`,
    );

    const title = run('java', [source, artifact('tidemark-jvm-1.4.0-sources.jar')]);

    expect(title).toBe('Tide heights and tide tables for the Fenmarsh estuary\n');
  });

  (hasJava ? itWith('mvn') : itWith('javac'))('takes the POM as a valid model', () => {
    const folder = temporaryFolder();
    writeFileSync(path.join(folder, 'pom.xml'), readFileSync(artifact('.pom')));

    expect(() => run('mvn', ['--offline', '--batch-mode', '--quiet', 'validate'], folder)).not.toThrow();
    expect(readFileSync(artifact('.pom'), 'utf8')).toContain('<version>1.4.0</version>');
  });
});

describe('dpkg', () => {
  const itHere = hasCompiler ? itWith('dpkg', 'dpkg-deb') : itWith('cc');
  function install(): string {
    const root = temporaryFolder();
    for (const folder of ['updates', 'info']) mkdirSync(path.join(root, 'var/lib/dpkg', folder), { recursive: true });
    writeFileSync(path.join(root, 'var/lib/dpkg/status'), '');
    run('dpkg', [
      `--root=${root}`,
      '--force-not-root',
      '--force-depends',
      '--force-architecture',
      '--log=/dev/null',
      '-i',
      artifact('.deb'),
    ]);
    return root;
  }

  itHere('installs the package into another root and finds every digest right', () => {
    const root = install();

    expect(run('dpkg', [`--root=${root}`, '-V', 'libharmonics-dev'])).toBe('');
    const fields = run('dpkg-deb', ['-f', artifact('.deb'), 'Version', 'Maintainer', 'Section', 'Depends']);
    expect(fields).toContain('Version: 0.9.5-1\nMaintainer: Harbour desk <harbour@fenmarsh.example>\n');
    const changelog = path.join(root, 'usr/share/doc/libharmonics-dev/changelog.Debian.gz');
    expect(run('zcat', [changelog])).toMatch(
      /^libharmonics-dev \(0\.9\.5-1\) unstable;[\s\S]*C\+\+ programs[\s\S]*\n -- Harbour desk <.*> {2}\w{3}, /,
    );
    expect(readFileSync(path.join(root, 'usr/share/doc/libharmonics-dev/copyright'), 'utf8')).toContain(
      'Permission is hereby granted',
    );
  });

  (hasCompiler ? itWith('dpkg', 'pkg-config') : itWith('cc'))(
    'gives a C program what it links through pkg-config',
    () => {
      const root = install();
      const flags = execFileSync('pkg-config', ['--cflags', '--libs', 'harmonics'], {
        encoding: 'utf8',
        env: {
          PATH: process.env['PATH'],
          PKG_CONFIG_SYSROOT_DIR: root,
          PKG_CONFIG_LIBDIR: path.join(path.dirname(findFile(root, 'harmonics.pc'))),
          PKG_CONFIG_ALLOW_SYSTEM_CFLAGS: '1',
          PKG_CONFIG_ALLOW_SYSTEM_LIBS: '1',
        },
      });
      const source = path.join(top, 'fenmarsh-tides/packages/harmonics/test/table.c');
      const program = path.join(root, 'table');

      run('cc', [source, '-o', program, ...flags.trim().split(/\s+/), '-lm']);
      const printed = execFileSync(program, {
        encoding: 'utf8',
        env: { LD_LIBRARY_PATH: path.dirname(findFile(root, 'libharmonics.so')) },
      });

      expect(printed).toMatch(/^harmonics 0\.9\.5: \d\.\d\d m at the bar$/m);
    },
  );
});

describe('the binary archive', () => {
  const itHere = hasCompiler ? itWith('pkg-config') : itWith('cc');
  itHere('works wherever it is unpacked, and its manifest knows every file', () => {
    const folder = temporaryFolder();
    run('tar', [
      '-xzf',
      artifact(`harmonics-0.9.5-${process.platform}-${process.arch}.tar.gz`),
      '--strip-components=1',
      '-C',
      folder,
    ]);

    const libdir = execFileSync('pkg-config', ['--variable=libdir', 'harmonics'], {
      encoding: 'utf8',
      env: { PATH: process.env['PATH'], PKG_CONFIG_PATH: path.join(folder, 'lib/pkgconfig') },
    });

    expect(realpathSync(libdir.trim())).toBe(path.join(folder, 'lib'));
    const manifest = readFileSync(path.join(folder, 'share/harmonics/installed-files.txt'), 'utf8')
      .trim()
      .split('\n')
      .slice(1);
    for (const line of manifest.filter((row) => !row.includes(' 0777 '))) {
      const [digest, , , file = ''] = line.split(' ');
      expect(run('sha256sum', [path.join(folder, file)])).toContain(digest);
    }
    expect(manifest.some((line) => line.endsWith('lib/pkgconfig/harmonics.pc'))).toBe(true);
  });
});

describe('a .NET package', () => {
  const itHere = hasCompiler ? itWith('python3') : itWith('cc');
  itHere('keeps the rules of OPC: relationships and content types for every part', () => {
    const folder = temporaryFolder();
    run('python3', [
      '-c',
      'import sys, zipfile; zipfile.ZipFile(sys.argv[1]).extractall(sys.argv[2])',
      artifact('.nupkg'),
      folder,
    ]);
    const text = (file: string) => readFileSync(path.join(folder, file), 'utf8');
    const parts = readdirSync(folder, { recursive: true, withFileTypes: true })
      .filter((dirent) => dirent.isFile())
      .map((dirent) => path.relative(folder, path.join(dirent.parentPath, dirent.name)));

    const types = text('[Content_Types].xml');
    const targets = [...text('_rels/.rels').matchAll(/Target="\/([^"]+)"/g)].map(([, target]) => target);

    for (const part of parts.filter((part) => part !== '[Content_Types].xml')) {
      const ending = /\.([^./]+)$/.exec(part)?.[1] ?? '';
      expect(types).toMatch(new RegExp(`Extension="${ending}"|PartName="/${part}"`));
    }
    expect(parts).toEqual(expect.arrayContaining(targets));
    expect(targets[0]).toBe('Fenmarsh.Tides.nuspec');
    expect(text('Fenmarsh.Tides.nuspec')).toMatch(/<repository type="git" url="[^"]+" commit="[0-9a-f]{40}"\/>/);
    expect(parts).toContain('runtimes/linux-x64/native/libfenmarsh_tides.so');
  });
});

function findFile(folder: string, name: string): string {
  const found = readdirSync(folder, { recursive: true, encoding: 'utf8' }).find((file) => path.basename(file) === name);
  if (found === undefined) throw new Error(`no ${name}`);
  return path.join(folder, found);
}
