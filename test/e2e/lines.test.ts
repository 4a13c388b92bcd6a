// Every line of `ledger lines --set-up` whose client is here is pasted as it is, into an empty folder with an empty HOME.
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { execa } from 'execa';
import { describe, expect, it } from 'vitest';
import { listener } from '../builders/listener.ts';
import { bevelstone, bevelstoneJson } from '../builders/program.ts';
import { releaseWorkspace } from '../builders/release-workspace.ts';
import { temporaryFolder } from '../builders/repository.ts';
import { hasTool, itWith } from '../builders/tools.ts';
import { demoWorkspace, goodToken } from '../builders/workspace.ts';

type Line = { readonly destination: string; readonly client: string; readonly into: string; readonly text: string };
type Lines = { readonly lines: readonly Line[]; readonly setUp: readonly Line[] };

/** An empty folder, an empty HOME, and the variables that the lines leave to their readers. */
class Visitor {
  readonly folder = temporaryFolder();
  readonly home = path.join(this.folder, 'home');
  readonly #own: Record<string, string>;

  constructor(own: Record<string, string>) {
    mkdirSync(this.home);
    this.#own = { PATH: process.env['PATH'] ?? '', HOME: this.home, ...own };
  }

  write(name: string, text: string): void {
    mkdirSync(path.dirname(path.join(this.folder, name)), { recursive: true });
    writeFileSync(path.join(this.folder, name), text);
  }

  run(program: string, ...args: string[]) {
    return execa(program, args, { cwd: this.folder, env: this.#own, extendEnv: false });
  }

  paste(text: string) {
    return this.run('sh', '-ec', text);
  }

  has(name: string): boolean {
    return existsSync(path.join(this.folder, name));
  }
}

/** What a reader of a place has set: tokens and keys, and where a folder is. */
const readerOf = (isPrivate: boolean, folder: string): Record<string, string> => ({
  SHELF_FOLDER: folder,
  ...(isPrivate
    ? Object.fromEntries(
        ['OFFICE', 'OFFICE_PYTHON', 'OFFICE_MAVEN', 'OFFICE_NUGET', 'UPSTAIRS', 'REGISTRY'].map((name) => [
          `${name}_READ_TOKEN`,
          goodToken,
        ]),
      )
    : {}),
  ...(isPrivate ? { ARCHIVE_READ_KEY: goodToken, ARCHIVE_READ_SECRET: goodToken } : {}),
});

describe.each([
  ['public', false],
  ['private', true],
])('lines for %s destinations', (_, isPrivate) => {
  const delivered = async (name: string) => {
    const w = await demoWorkspace({ isPrivate });
    const options = { cwd: w.folder, env: w.env };
    const packages = name === 'gauges' ? ['-p', 'tidemark', '-p', 'gauges'] : ['-p', name];
    await bevelstone(['build', ...packages], { cwd: w.folder });
    expect((await bevelstoneJson(['publish', ...packages, '--push-tag', '--yes'], options)).error).toBeNull();
    const { result } = await bevelstoneJson(['ledger', 'lines', name, '--set-up'], options);
    const { lines, setUp } = result as Lines;
    // No path of the machine that released, and no secret.
    expect(JSON.stringify(result)).not.toContain(w.top);
    expect(JSON.stringify(result)).not.toContain(goodToken);
    const pick = (all: readonly Line[], client: string) => all.filter((line) => line.client === client);
    const visitor = () => new Visitor(readerOf(isPrivate, path.join(w.top, 'shelf')));
    return { w, lines, setUp, pick, visitor };
  };
  const suffix = isPrivate ? ', with a token' : '';

  it('install with npm, and from a folder', async () => {
    const { lines, setUp, pick, visitor } = await delivered('gauges');
    const settings = [...pick(setUp, 'npm'), ...(isPrivate ? pick(setUp, `npm${suffix}`) : [])].map(({ text }) => text);

    for (const client of ['npm', 'npm, by digest']) {
      const v = visitor();
      v.write('package.json', '{ "private": true }');
      v.write('.npmrc', `${settings.join('\n')}\n`);
      for (const { text } of pick(lines, client)) await v.paste(text);
      expect([v.has('node_modules/gauges/package.json'), v.has('node_modules/tidemark/package.json')]).toEqual([
        true,
        true,
      ]);
    }
    const spoilt = visitor();
    spoilt.write('.npmrc', `${settings.join('\n')}\n`);
    const text = pick(lines, 'npm, by digest')[0]?.text.replace(/echo '[0-9a-f]{6}/, "echo '000000") ?? '';
    await expect(spoilt.paste(text)).rejects.toMatchObject({ stderr: expect.stringContaining('did NOT match') });
    expect(spoilt.has('node_modules')).toBe(false);
  });

  it('copy from a folder where the reader sees it', async () => {
    const { lines, setUp, pick, visitor } = await delivered('tidemark');
    const v = visitor();
    for (const { text } of [...pick(setUp, 'cp'), ...pick(lines, 'cp')]) await v.paste(text);

    expect(v.has('tidemark-1.4.0.tar.gz')).toBe(true);
    await expect(new Visitor({}).paste(pick(setUp, 'cp')[0]?.text ?? '')).rejects.toMatchObject({
      stderr: expect.stringContaining('set it to the folder shelf as this machine sees it'),
    });
  });

  const supplied = [
    'saltmarsh-angles==1.4.2 --hash=sha256:f3713720b1067dc2a510f717f39df4b618160676d5f3a453f9cf2c708b793d32',
    'saltmarsh-lunar==2.1.0 --hash=sha256:448d984c5d0cd3d43fc8c7918625e6bd345b37b6b78d6793dbd3e798ef6259c2',
  ];

  itWith('python3-venv')('install with pip, alone and beside another index', async () => {
    const { lines, setUp, pick, visitor } = await delivered('tidemark-py');
    // Where one requirement has digests, pip wants them for everything that it needs in turn.
    const requirement = [pick(lines, 'pip')[0]?.text ?? '', ...supplied].join('\n');
    const empty = await listener();
    const beside = pick(setUp, 'pip, beside another index')[0]?.text ?? '';
    const tries = [
      [pick(setUp, `pip${suffix}`)[0]?.text ?? ''],
      ...(isPrivate ? [] : [[`--index-url ${empty.url}simple/`, beside]]),
    ];
    for (const indexes of tries) {
      const v = visitor();
      v.write('requirements.txt', `${[...indexes, requirement].join('\n')}\n`);
      await v.run('python3', '-m', 'venv', 'env');
      await v.run('env/bin/pip', 'install', '--quiet', '-r', 'requirements.txt');
      const python = ['-c', 'import tidemark_py; print(len(tidemark_py.stations))'];
      expect((await v.run('env/bin/python', ...python)).stdout).toBe('2');
      v.write(
        'spoilt.txt',
        `${[...indexes, requirement.replace(/sha256:[0-9a-f]{6}/g, 'sha256:000000')].join('\n')}\n`,
      );
      const spoilt = v.run('env/bin/pip', 'install', '--quiet', '--force-reinstall', '-r', 'spoilt.txt');
      await expect(spoilt).rejects.toMatchObject({ stderr: expect.stringMatching(/HASH/i) });
    }
  });

  itWith('javac', 'mvn')('compile with Maven', async () => {
    const { lines, setUp, pick, visitor } = await delivered('tidemark-jvm');
    const v = visitor();
    const [repository, server] = pick(setUp, 'maven').map(({ text }) => text);
    v.write(
      'pom.xml',
      `<project xmlns="http://maven.apache.org/POM/4.0.0"><modelVersion>4.0.0</modelVersion>
<groupId>visitor</groupId><artifactId>visitor</artifactId><version>1</version>
<properties><maven.compiler.source>17</maven.compiler.source><maven.compiler.target>17</maven.compiler.target></properties>
<repositories>${repository}</repositories>
<pluginRepositories><pluginRepository><id>debian</id><url>file:///usr/share/maven-repo</url></pluginRepository></pluginRepositories>
<dependencies>${pick(lines, 'maven')[0]?.text}</dependencies></project>`,
    );
    v.write('home/settings.xml', `<settings><servers>${server}</servers></settings>`);
    v.write('src/main/java/Visitor.java', 'import example.fenmarsh.tides.*;\nclass Visitor {}\n');
    const local = `-Dmaven.repo.local=${path.join(v.home, 'repository')}`;
    await v.run('mvn', '-B', '-q', '-s', 'home/settings.xml', local, 'compile');

    expect(v.has('target/classes/Visitor.class')).toBe(true);
  });

  itWith('cc', 'skopeo')('fetch from an object store and a registry, each to the same bytes', async () => {
    const { w, lines, setUp, pick, visitor } = await delivered('harmonics');
    const built = path.join(w.folder, 'bevelstone-out/harmonics-0.9.5');
    const archive = lines.filter(({ destination }) => destination === 'archive');
    const registry = lines.filter(({ destination }) => destination === 'registry');
    const groups = [
      ...(isPrivate ? [] : [pick(archive, 'curl')]),
      ...(isPrivate ? [pick(archive, 'curl, with keys')] : []),
      [...(isPrivate ? pick(setUp, 'curl, with a token') : []), ...pick(registry, 'curl')],
    ];
    for (const group of groups) {
      const v = visitor();
      for (const { text } of group) await v.paste(text);
      const files = readdirSync(v.folder).filter((name) => name !== 'home');
      expect(files.length).toBeGreaterThan(1);
      for (const name of files)
        expect(readFileSync(path.join(v.folder, name)).equals(readFileSync(path.join(built, name)))).toBe(true);
    }
    const [reference] = pick(registry, 'oci');
    const v = visitor();
    const who = isPrivate ? [`--src-creds=visitor:${goodToken}`] : [];
    await v.run('skopeo', 'copy', '--src-tls-verify=false', ...who, `docker://${reference?.text}`, 'dir:copied');
    expect(readdirSync(path.join(v.folder, 'copied')).length).toBeGreaterThan(1);
  });

  itWith('cc')('fetch from a store that takes files, and name a source for .NET', async () => {
    const { w, lines, setUp, pick, visitor } = await delivered('Fenmarsh.Tides');
    const v = visitor();
    const upstairs = pick(setUp, 'curl, with a token');
    for (const { text } of [...(isPrivate ? upstairs : []), ...pick(lines, 'curl')]) await v.paste(text);
    expect(readdirSync(v.folder).filter((name) => name.endsWith('.nupkg'))).toHaveLength(1);

    const source = `dotnet nuget add source ${w.env['TIDE_OFFICE']}nuget/index.json --name office-nuget`;
    expect(pick(setUp, 'dotnet').map(({ text }) => text)).toEqual([source]);
    expect(pick(setUp, 'dotnet, with a token')[0]?.text).toContain('<office-nuget>');
  });
});

it.skipIf(!hasTool('apt-get') || !hasTool('dpkg-deb'))(
  'a Debian package is installed by the line for it, into a root of its own',
  async () => {
    const w = await releaseWorkspace({ destinations: ['shelf'] });
    const config = path.join(w.folder, 'bevelstone.yaml');
    const deb =
      '{ form: deb, files: [{ from: depth.js, to: usr/share/soundings }], control: { Maintainer: "Harbour desk <harbour@fenmarsh.example>", Description: "Depths" } }';
    const text = readFileSync(config, 'utf8').replace('{ form: npm-tarball }', deb);
    w.commit('chore: a Debian package', {
      'bevelstone.yaml': text.replace('artifacts:', 'ecosystem: native, artifacts:'),
    });
    w.git('push', '--quiet');
    expect((await w.release()).error).toBeNull();
    const { result } = await bevelstoneJson(['ledger', 'lines', 'soundings'], { cwd: w.folder, env: w.env });

    const top = temporaryFolder();
    const root = path.join(top, 'root');
    for (const name of [
      'etc/apt',
      'var/lib/dpkg/info',
      'var/lib/dpkg/updates',
      'var/lib/dpkg/triggers',
      'var/lib/apt/lists/partial',
      'var/cache/apt/archives/partial',
      'var/log/apt',
    ])
      mkdirSync(path.join(root, name), { recursive: true });
    for (const name of ['status', 'available']) writeFileSync(path.join(root, 'var/lib/dpkg', name), '');
    const settings = [
      `Dir "${root}";`,
      `Dir::State::status "${root}/var/lib/dpkg/status";`,
      `DPkg::Options { "--root=${root}"; "--force-not-root"; "--log=/dev/null"; };`,
      'APT::Sandbox::User "root"; APT::Get::Assume-Yes "true"; DPkg::Use-Pty "false";',
    ];
    writeFileSync(path.join(top, 'apt.conf'), settings.join('\n'));
    const v = new Visitor({
      SHELF_FOLDER: path.join(w.top, 'shelf'),
      APT_CONFIG: path.join(top, 'apt.conf'),
      DEBIAN_FRONTEND: 'noninteractive',
    });
    for (const { text: line } of (result as Lines).lines) await v.paste(line);

    expect(existsSync(path.join(root, 'usr/share/soundings/depth.js'))).toBe(true);
    expect(existsSync('/usr/share/soundings')).toBe(false);
  },
);

itWith('npm')('a prerelease is installed by its exact version', async () => {
  const w = await releaseWorkspace({
    more: 'streams: { beta: { from: main, identifier: beta } }\n',
  });
  const run = await w.release();
  expect(run.error).toBeNull();
  const [{ version }] = run.result.releases;
  expect(version).toContain('-beta.');
  const { result } = await bevelstoneJson(['ledger', 'lines', `soundings@${version}`], { cwd: w.folder, env: w.env });
  const v = new Visitor({});
  v.write('package.json', '{ "private": true }');
  const npm = (result as Lines).lines.find(({ client }) => client === 'npm');
  await v.paste(npm?.text ?? '');

  const { version: got } = JSON.parse(readFileSync(path.join(v.folder, 'node_modules/soundings/package.json'), 'utf8'));
  expect(got).toBe(version);
});
