// Repositories made of files, at three stores, read by the clients that people use.
import { execFile, execFileSync } from 'node:child_process';
import { cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { promisify } from 'node:util';
import { expect, it } from 'vitest';
import { testStandin } from '../builders/parcel.ts';
import { bevelstone, bevelstoneJson } from '../builders/program.ts';
import { account, itWithServer, startNginx } from '../builders/real-server.ts';
import { TestRepository, temporaryFolder, testEnvironment } from '../builders/repository.ts';
import { itUnless, rustEnvironment, whyNoCargo, whyNoGo } from '../builders/rust-tools.ts';
import { hasTool } from '../builders/tools.ts';
import { serveFolder } from '../builders/web-server.ts';
import { goodToken } from '../builders/workspace.ts';

const node = {
  name: 'depth',
  version: '0.0.0',
  description: 'Depths',
  license: 'MIT',
  type: 'module',
  exports: './depth.js',
};
const scoped = { ...node, name: '@fenmarsh/soundings' };

const about = '# Depths\n\nDepths of the estuary.\n';

const files: Readonly<Record<string, string>> = {
  '.gitignore': 'bevelstone-out\n',
  LICENSE: 'MIT License\n\nPermission is hereby granted, free of charge, to any person obtaining a copy\n',
  'node/package.json': JSON.stringify(node),
  'node/depth.js': 'export const depth = 4.2;\n',
  'scoped/package.json': JSON.stringify(scoped),
  'scoped/depth.js': 'export const depth = 4.2;\n',
  'node/README.md': about,
  'scoped/README.md': about,
  'py/README.md': about,
  'py/pyproject.toml':
    '[build-system]\nrequires = []\nbuild-backend = "x"\n\n[project]\nname = "depth-py"\nversion = "0.0.0"\ndescription = "Depths"\nlicense = "MIT"\nrequires-python = ">=3.8"\nreadme = "README.md"\n',
  'py/src/depth_py/__init__.py': 'depth = 4.2\n',
  'jvm/depth.properties': 'depth=4.2\n',
  'rust/Cargo.toml':
    '[package]\nname = "depth"\nversion = "0.0.0"\nedition = "2021"\ndescription = "Depths"\nlicense = "MIT"\nrepository = "https://git.fenmarsh.example/depth"\n',
  'rust/src/lib.rs': 'pub fn depth() -> u32 { 42 }\n',
  'rust/src/main.rs': 'fn main() { println!("{}", depth::depth()); }\n',
  'rust/Cargo.lock': 'version = 4\n\n[[package]]\nname = "depth"\nversion = "0.0.0"\n',
  'go/go.mod': 'module fenmarsh.example/Depth\n\ngo 1.19\n',
  'go/depth.go': '// Package depth has depths.\npackage depth\n\n// Depth is in decimetres.\nconst Depth = 42\n',
};

type Packages = Readonly<Record<string, { readonly layout: string; readonly entry: object }>>;

const artifact = (form: string, more: object = {}) => ({ artifacts: [{ form, ...more }] });
const coordinates = { coordinates: { groupId: 'example.fenmarsh' } };
const packages: Packages = {
  node: { layout: 'npm-static', entry: { folder: 'node', ...artifact('npm-tarball') } },
  scoped: { layout: 'npm-static', entry: { folder: 'scoped', ...artifact('npm-tarball') } },
  'depth-py': { layout: 'simple-index', entry: { folder: 'py', artifacts: [{ form: 'wheel' }, { form: 'sdist' }] } },
  'depth-jvm': {
    layout: 'maven-layout',
    entry: {
      folder: 'jvm',
      ecosystem: 'jvm',
      artifacts: [
        { form: 'jar', files: [{ from: 'depth.properties' }], ...coordinates },
        { form: 'jar', classifier: 'tests', files: [{ from: 'depth.properties' }], ...coordinates },
        { form: 'pom', ...coordinates },
      ],
    },
  },
  ...(whyNoCargo() === null
    ? { 'depth-rs': { layout: 'crate-index', entry: { folder: 'rust', ...artifact('crate'), trial: ['depth'] } } }
    : {}),
  ...(whyNoGo() === null
    ? { 'depth-go': { layout: 'go-proxy', entry: { folder: 'go', ...artifact('go-module') } } }
    : {}),
};

/** A release of the packages whose layouts are named by destinations `LAYOUT-STORE`. */
async function released(destinations: Readonly<Record<string, object>>, env: Readonly<Record<string, string>>) {
  const stores = [...new Set(Object.keys(destinations).map((name) => name.split('-').at(-1)))];
  const config = {
    schema: 1,
    supplier: 'Fenmarsh Tide Office',
    history: { first: '0.1.0' },
    packages: Object.fromEntries(
      Object.entries(packages)
        .filter(([, { layout }]) => Object.keys(destinations).some((name) => name.startsWith(`${layout}-`)))
        .map(([name, { layout, entry }]) => [
          name,
          { ...entry, 'send-to': stores.map((store) => `${layout}-${store}`) },
        ]),
    ),
    destinations,
  };
  const { folder } = withRemote({ ...files, 'bevelstone.yaml': JSON.stringify(config, null, 2) });
  const all = { ...rustEnvironment, ...env, BEVELSTONE_TRUST: '*' };
  const run = await bevelstoneJson(['release', '--yes', '--trust-config'], { cwd: folder, env: all });
  return { folder, env: all, run };
}

/** A repository of one commit, with a bare one that it is pushed to. */
function withRemote(content: Readonly<Record<string, string>>): { readonly folder: string; readonly remote: string } {
  const repository = new TestRepository(content, 'feat: depths');
  const remote = path.join(temporaryFolder(), 'remote.git');
  execFileSync('git', ['init', '--quiet', '--bare', remote], { env: testEnvironment() });
  repository.git('reset', '--quiet', '--hard');
  repository.git('remote', 'add', 'origin', remote);
  repository.git('push', '--quiet', '--set-upstream', 'origin', 'main');
  return { folder: repository.folder, remote };
}

itWithServer('nginx')(
  'every layout is installed from a folder that is served, from a web server with PUT, and from a bucket',
  { timeout: 400_000 },
  async () => {
    const web = await startNginx(true);
    const standin = await testStandin();
    const layouts = [...new Set(Object.values(packages).map(({ layout }) => layout))];
    const destinations: Record<string, object> = {};
    for (const layout of layouts) {
      const shelf = temporaryFolder();
      destinations[`${layout}-shelf`] = { speaks: layout, url: shelf, 'index-url': await serveFolder(shelf) };
      const credential = { user: account.user, password: 'env:WEB_PASSWORD' };
      const authorization = `Basic ${Buffer.from(`${account.user}:${account.password}`).toString('base64')}`;
      await fetch(`${web}${layout}/`, { method: 'MKCOL', headers: { authorization } });
      destinations[`${layout}-web`] = { speaks: layout, url: `${web}${layout}/`, credential };
      destinations[`${layout}-bucket`] = {
        speaks: layout,
        over: 's3',
        url: standin.urlFor('s3'),
        bucket: `tides-${layout}`,
        'path-style': true,
        'make-bucket': true,
        credential: { 'access-key': 'env:KEY', 'secret-key': 'env:TOKEN' },
      };
    }
    const env = { WEB_PASSWORD: account.password, KEY: 'harbour', TOKEN: goodToken };
    const { folder, env: all, run } = await released(destinations, env);
    expect(run.error).toBeNull();

    const confirmed = await bevelstoneJson(['confirm', '--trust-config'], { cwd: folder, env: all });
    expect(confirmed.error).toBeNull();
    const rows = confirmed.result.releases.flatMap(
      ({
        package: name,
        steps,
      }: {
        package: string;
        steps: { destination: string; client: string; state: string }[];
      }) => steps.map(({ destination, client, state }) => [name, client, destination, state].join(' ')),
    );
    expect(rows).toHaveLength(Object.keys(packages).length * 3);
    const clients: Readonly<Record<string, boolean>> = {
      maven: hasTool('mvn'),
      npm: true,
      pip: true,
      cargo: true,
      go: true,
    };
    for (const row of rows) {
      const [, client = ''] = row.split(' ');
      expect(row).toMatch(clients[client] === true ? / installed$/ : / not-here$/);
    }
  },
);

it('lines of a folder that is not served name it by a variable of the reader', { timeout: 120_000 }, async () => {
  const shelf = path.join(temporaryFolder(), 'shelf');
  const layouts = ['simple-index', 'maven-layout', ...(whyNoGo() === null ? ['go-proxy'] : [])];
  const { folder, env, run } = await released(
    Object.fromEntries(layouts.map((layout) => [`${layout}-shelf`, { speaks: layout, url: shelf }])),
    {},
  );
  expect(run.error).toBeNull();

  const shown: string[] = [];
  for (const { package: name, version } of run.result.releases)
    shown.push((await bevelstone(['ledger', 'lines', `${name}@${version}`, '--set-up'], { cwd: folder, env })).stdout);

  expect(shown.join('\n')).not.toContain(shelf);
  expect(shown.join('\n')).toMatch(/file:\/\/\$\{SIMPLE_INDEX_SHELF_FOLDER\}\/simple\//);
  expect(shown.join('\n')).toMatch(/file:\/\/\$\{env\.MAVEN_LAYOUT_SHELF_FOLDER\}\//);
});

itUnless(whyNoCargo())(
  'a crate registry is filled, read by the lines of the ledger, built from offline, and loses a version',
  { timeout: 120_000 },
  async () => {
    const standin = await testStandin();
    const office = {
      speaks: 'crate-registry',
      url: `${standin.urlFor('crate-registry')}index/`,
      credential: 'env:TOKEN',
    };
    const config = {
      schema: 1,
      packages: { 'depth-rs': { folder: 'rust', ...artifact('crate'), 'send-to': ['office'] } },
      destinations: { office },
    };
    const only = Object.entries(files).filter(([file]) => !file.includes('/') || file.startsWith('rust/'));
    const env = { TOKEN: goodToken, ...rustEnvironment, BEVELSTONE_TRUST: '*' };
    const { folder } = withRemote({ ...Object.fromEntries(only), 'bevelstone.yaml': JSON.stringify(config) });
    const at = { cwd: folder, env };
    expect((await bevelstoneJson(['release', '--yes', '--trust-config'], at)).error).toBeNull();
    const { result } = await bevelstoneJson(['ledger', 'lines', 'depth-rs@0.1.0', '--set-up'], at);
    const textFor = (into: string): string =>
      [...result.lines, ...result.setUp].find((line: { into: string }) => line.into.startsWith(into)).text;

    const visitor = path.join(temporaryFolder(), 'visitor');
    mkdirSync(path.join(visitor, 'src'), { recursive: true });
    mkdirSync(path.join(visitor, '.cargo'));
    writeFileSync(path.join(visitor, '.cargo/config.toml'), `${textFor('.cargo/config.toml')}\n`);
    const head = '[package]\nname = "visitor"\nversion = "1.0.0"\nedition = "2021"\n\n[dependencies]\n';
    writeFileSync(path.join(visitor, 'Cargo.toml'), `${head}${textFor('Cargo.toml')}\n`);
    writeFileSync(path.join(visitor, 'src/main.rs'), 'fn main() { println!("{} dm", depth::depth()); }\n');
    const { PATH = '' } = process.env;
    const home = temporaryFolder();
    const own = { PATH, HOME: home, CARGO_HOME: path.join(home, 'cargo'), ...rustEnvironment };
    // Not in step: the stand-in is in this process.
    const cargo = async (...args: string[]) =>
      (await promisify(execFile)('cargo', args, { cwd: visitor, env: own, encoding: 'utf8' })).stdout;

    await cargo('generate-lockfile');
    expect(readFileSync(path.join(visitor, 'Cargo.lock'), 'utf8')).toContain(textFor('Cargo.lock'));
    await cargo('fetch', '--locked');
    expect(await cargo('run', '--quiet', '--locked', '--offline')).toBe('42 dm\n');
    // `cargo install` reads the user's configuration alone.
    cpSync(path.join(visitor, '.cargo/config.toml'), path.join(home, 'cargo/config.toml'));
    await cargo('install', 'depth', '--version', '=0.1.0', '--registry', 'office', '--locked', '--root', home);
    expect(execFileSync(path.join(home, 'bin/depth'), { encoding: 'utf8' })).toBe('42\n');

    const withdrawn = await bevelstoneJson(
      ['withdraw', 'depth-rs@0.1.0', '--from', 'office', '--reason', 'an hour late', '--yes', '--trust-config'],
      at,
    );
    expect(withdrawn.error).toBeNull();
    // What is locked still builds; a new lockfile cannot have it.
    await cargo('fetch', '--locked');
    rmSync(path.join(visitor, 'Cargo.lock'));
    await expect(cargo('generate-lockfile')).rejects.toThrow(/yanked|failed to select a version/);
  },
);

itUnless(whyNoGo())('a module has the same hash from the proxy and from git', { timeout: 120_000 }, async () => {
  const top = temporaryFolder();
  const module = 'fenmarsh.example/tides.git/go/depth';
  const config = {
    schema: 1,
    packages: {
      depth: {
        folder: 'go/depth',
        artifacts: [{ form: 'go-module' }],
        'send-to': ['proxy'],
      },
    },
    destinations: { proxy: { speaks: 'go-proxy', url: path.join(top, 'proxy') } },
  };
  const { folder: workspace, remote } = withRemote({
    'bevelstone.yaml': JSON.stringify(config),
    LICENSE: 'MIT License\n',
    'go/depth/go.mod': `module ${module}\n\ngo 1.19\n`,
    'go/depth/depth.go': 'package depth\n',
    'go/depth/testdata/Höhe.txt': 'tide\n',
    'go/depth/vendor/modules.txt': '# x\n',
    'go/depth/vendor/x.example/y/y.go': 'package y\n',
    'go/depth/sub/vendor/z.go': 'package z\n',
    'go/depth/sub/vendor/w/w.go': 'package w\n',
    'go/depth/tools/go.mod': 'module tools.example/x\n',
    'go/depth/tools/x.go': 'package x\n',
  });
  const run = await bevelstoneJson(['release', '--yes'], { cwd: workspace });
  expect(run.error).toBeNull();

  const sumsFrom = (name: string, env: Readonly<Record<string, string>>) => {
    const folder = path.join(top, name);
    mkdirSync(folder);
    writeFileSync(path.join(folder, 'go.mod'), 'module visitor.example/v\n\ngo 1.19\n');
    const home = path.join(top, `${name}-home`);
    mkdirSync(home);
    writeFileSync(
      path.join(home, '.gitconfig'),
      `[url "file://${remote}"]\n\tinsteadOf = https://fenmarsh.example/tides.git\n\tinsteadOf = https://fenmarsh.example/tides\n`,
    );
    const { PATH = '' } = process.env;
    const own = { PATH, HOME: home, GOFLAGS: '-modcacherw', GOSUMDB: 'off', GOTOOLCHAIN: 'local', ...env };
    execFileSync('go', ['get', `${module}@v0.1.0`], { cwd: folder, env: own, stdio: 'pipe' });
    execFileSync('go', ['mod', 'verify'], { cwd: folder, env: own, stdio: 'pipe' });
    return execFileSync('cat', ['go.sum'], { cwd: folder, encoding: 'utf8' });
  };
  const direct = sumsFrom('direct', { GOPROXY: 'direct' });

  expect(sumsFrom('proxied', { GOPROXY: `file://${path.join(top, 'proxy')}` })).toBe(direct);
  const lines = await bevelstoneJson(['ledger', 'lines', 'depth@0.1.0'], { cwd: workspace });
  const sum = lines.result.lines.find(({ into }: { into: string }) => into === 'go.sum');
  expect(`${sum.text}\n`).toBe(direct);
});
