import { describe, expect, it } from 'vitest';
import type { PackageManifest } from '../../../src/core/manifest/package-manifest.ts';
import { formatOf, isUnknownLockfile } from '../../../src/core/sbom/lockfile/formats.ts';
import { type DependencyReading, memberFolder, type ReadingContext } from '../../../src/core/sbom/lockfile/reading.ts';

const sha512 = `sha512-${Buffer.alloc(64, 1).toString('base64')}`;
const hex256 = 'ab'.repeat(32);
const manifest = (dependencies: PackageManifest['dependencies'], name = 'tides'): PackageManifest => ({
  name,
  version: '1.0.0',
  description: null,
  licence: null,
  dependencies,
});

function read(file: string, text: string, more: Partial<ReadingContext> = {}): DependencyReading {
  const reading = formatOf(file)?.read(text, { file, manifests: new Map(), beside: () => null, ...more });
  if (reading === null || reading === undefined) throw new Error(`${file} was not read`);
  return reading;
}

/** `direct: kind name@version` of the root, then `name@version > name@version`. */
function summary({ packages, roots }: DependencyReading, folder = ''): string[] {
  const byKey = new Map(packages.map((pkg) => [pkg.key, `${pkg.name}@${pkg.version}`]));
  const named = (key: string) => byKey.get(key) ?? memberFolder(key)?.concat('/') ?? `nothing called ${key}`;
  return [
    ...(roots.get(folder) ?? []).map(
      ({ key, kind, isIndirect }) => `${isIndirect === true ? 'indirect ' : ''}${kind} ${named(key)}`,
    ),
    ...packages.flatMap((pkg) =>
      pkg.needs.map(({ key, kind }) => `${named(pkg.key)} >${kind === 'run' ? '' : ` ${kind}`} ${named(key)}`),
    ),
  ];
}

it.each([1, 2])('reads a NuGet lockfile of version %i, and no other', (version) => {
  const lock = (of: number) =>
    JSON.stringify({
      version: of,
      dependencies: { 'net8.0': { Tides: { type: 'Direct', resolved: '1.2.0', requested: '[1.2.0, )' } } },
    });

  expect(summary(read('packages.lock.json', lock(version)))).toEqual(['run Tides@1.2.0']);
  expect(() => read('packages.lock.json', lock(3))).toThrow('was not read');
});

it('reads an npm lockfile with a workspace, a nested copy and an alias', () => {
  const reading = read(
    'package-lock.json',
    JSON.stringify({
      lockfileVersion: 3,
      packages: {
        '': { devDependencies: { tool: '^1' } },
        'packages/gauges': { dependencies: { store: '^2', tidemark: '^1' }, optionalDependencies: { fast: '1' } },
        'node_modules/tidemark': { resolved: 'packages/tidemark', link: true },
        'node_modules/store': { version: '2.1.0', integrity: sha512, license: 'MIT', dependencies: { cache: '1' } },
        'node_modules/cache': { version: '9.0.0' },
        'node_modules/store/node_modules/cache': { name: 'real-cache', version: '1.2.0' },
        'node_modules/fast': { version: '1.0.0', optional: true },
        'node_modules/tool': { version: '1.0.0', dev: true },
      },
    }),
  );

  expect(summary(reading)).toContain('development tool@1.0.0');
  expect(summary(reading, 'packages/gauges')).toEqual([
    'run store@2.1.0',
    'run packages/tidemark/',
    'optional fast@1.0.0',
    'store@2.1.0 > real-cache@1.2.0',
  ]);
  expect(reading.packages.find(({ name }) => name === 'store')).toMatchObject({
    licence: 'MIT',
    digests: [{ algorithm: 'SHA-512', value: '01'.repeat(64) }],
    installedAt: 'node_modules/store',
  });
});

it('leaves an npm lockfile of the first version unread', () => {
  expect(
    formatOf('package-lock.json')?.read('{"lockfileVersion":1,"dependencies":{}}', {
      file: 'x',
      manifests: new Map(),
      beside: () => null,
    }),
  ).toBeNull();
});

it.each([
  [
    '9.0',
    `importers:\n  .:\n    dependencies:\n      store: { specifier: ^2, version: 2.1.0(peer@1.0.0) }\n    devDependencies:\n      tool: { specifier: 1, version: 1.0.0 }\npackages:\n  store@2.1.0: { resolution: { integrity: ${sha512} } }\n  cache@1.2.0: { resolution: {} }\n  tool@1.0.0: { resolution: {} }\nsnapshots:\n  store@2.1.0(peer@1.0.0):\n    dependencies: { cache: 1.2.0 }\n  cache@1.2.0: {}\n  tool@1.0.0: {}\n`,
  ],
  [
    '6.0',
    `importers:\n  .:\n    dependencies:\n      store: { specifier: ^2, version: 2.1.0 }\n    devDependencies:\n      tool: { specifier: 1, version: 1.0.0 }\npackages:\n  /store@2.1.0:\n    resolution: { integrity: ${sha512} }\n    dependencies: { cache: 1.2.0 }\n  /cache@1.2.0: { resolution: {} }\n  /tool@1.0.0: { resolution: {}, dev: true }\n`,
  ],
  [
    '5.4',
    `dependencies: { store: 2.1.0 }\ndevDependencies: { tool: 1.0.0 }\npackages:\n  /store/2.1.0:\n    resolution: { integrity: ${sha512} }\n    dependencies: { cache: 1.2.0 }\n  /cache/1.2.0: { resolution: {} }\n  /tool/1.0.0: { resolution: {} }\n`,
  ],
])('reads pnpm-lock.yaml %s', (version, text) => {
  const reading = read('pnpm-lock.yaml', `lockfileVersion: '${version}'\n${text}`);

  expect(summary(reading)).toEqual(['run store@2.1.0', 'development tool@1.0.0', 'store@2.1.0 > cache@1.2.0']);
  expect(reading.packages.find(({ name }) => name === 'store')?.digests).toHaveLength(1);
});

const twoNeeds = new Map([
  [
    '',
    manifest([
      { name: 'store', range: '^2.0.0', kind: 'run' },
      { name: 'tool', range: '1', kind: 'development' },
    ]),
  ],
]);

it.each([
  [
    'the first generation',
    `# comment\n\nstore@^2.0.0, store@^2.1.0:\n  version "2.1.0"\n  resolved "https://packages.fenmarsh.example/store-2.1.0.tgz#${'0f'.repeat(20)}"\n  integrity ${sha512}\n  dependencies:\n    "@tide/cache" "^1.0.0"\n\n"@tide/cache@^1.0.0":\n  version "1.2.0"\n\ntool@1:\n  version "1.0.0"\n`,
  ],
  [
    'the second generation',
    `__metadata:\n  version: 8\n\n"store@npm:^2.0.0":\n  version: 2.1.0\n  resolution: "store@npm:2.1.0"\n  dependencies:\n    "@tide/cache": "npm:^1.0.0"\n  checksum: 10/aa\n\n"@tide/cache@npm:^1.0.0":\n  version: 1.2.0\n  resolution: "@tide/cache@npm:1.2.0"\n\n"tool@npm:1":\n  version: 1.0.0\n  resolution: "tool@npm:1.0.0"\n\n"tides@workspace:.":\n  version: 0.0.0-use.local\n  resolution: "tides@workspace:."\n`,
  ],
])('reads yarn.lock of %s', (_, text) => {
  const reading = read('yarn.lock', text, { manifests: twoNeeds });

  expect(summary(reading)).toEqual(['run store@2.1.0', 'development tool@1.0.0', 'store@2.1.0 > @tide/cache@1.2.0']);
  expect(reading.packages).toHaveLength(3);
});

it('takes a package of yarn.lock without a resolution by its key, unless it is of the workspace', () => {
  const text = `__metadata:\n  version: 8\n\n"store@npm:^2.0.0":\n  version: 2.1.0\n\n"tool@workspace:tools":\n  version: 1.0.0\n`;

  const { packages } = read('yarn.lock', text, { manifests: twoNeeds });

  expect(packages.map(({ name, version }) => `${name}@${version}`)).toEqual(['store@2.1.0']);
});

it('reads requirements with hashes, and says what they leave open', () => {
  const reading = read(
    'requirements.txt',
    `# locked\n-r base.txt\n--index-url https://packages.fenmarsh.example/simple\nTide_Store==2.1.0 \\\n    --hash=sha256:${hex256} ; python_version >= "3.9"\ncache>=1,<2\n-e ./local\ntide[fast]==1.0\n`,
  );

  expect(reading.packages.map(({ name, version, digests }) => [name, version, digests.length])).toEqual([
    ['tide-store', '2.1.0', 1],
    ['cache', null, 0],
    ['tide', '1.0', 0],
  ]);
  expect(reading.unknown.join('\n')).toMatch(/includes base\.txt[\s\S]*"-e \.\/local"[\s\S]*which version of cache/);
  expect(read('dev-requirements.txt', 'tool==1.0').roots.get('')).toEqual([{ key: 'tool 1.0', kind: 'development' }]);
});

it('reads pylock.toml', () => {
  const reading = read(
    'pylock.toml',
    `lock-version = "1.0"\ncreated-by = "x"\n[[packages]]\nname = "store"\nversion = "2.1.0"\ndependencies = [{ name = "cache" }]\nwheels = [{ name = "a.whl", hashes = { sha256 = "${hex256}" } }]\n[[packages]]\nname = "cache"\nversion = "1.2.0"\n`,
  );

  expect(summary(reading)).toEqual(['run store@2.1.0', 'store@2.1.0 > cache@1.2.0']);
  expect(reading.packages[0]?.digests).toEqual([{ algorithm: 'SHA-256', value: hex256 }]);
});

it('reads Cargo.lock, kinds from the manifest', () => {
  const text = `version = 3\n[[package]]\nname = "tides"\nversion = "1.0.0"\ndependencies = ["store", "tool 1.0.0"]\n[[package]]\nname = "store"\nversion = "2.1.0"\nsource = "registry+https://packages.fenmarsh.example"\nchecksum = "${hex256}"\ndependencies = ["cache"]\n[[package]]\nname = "cache"\nversion = "1.2.0"\nsource = "registry+https://packages.fenmarsh.example"\n[[package]]\nname = "tool"\nversion = "1.0.0"\nsource = "registry+https://packages.fenmarsh.example"\n`;
  const manifests = new Map([['', manifest([{ name: 'tool', range: '1', kind: 'development' }])]]);

  expect(summary(read('Cargo.lock', text, { manifests }))).toEqual([
    'run store@2.1.0',
    'development tool@1.0.0',
    'store@2.1.0 > cache@1.2.0',
  ]);
});

it('reads go.mod with go.sum, replacements and what is indirect', () => {
  const text =
    'module tides\n\nrequire (\n\tgauges.example/store v2.1.0\n\tgauges.example/cache v1.2.0 // indirect\n\tgauges.example/local v0.1.0\n)\nrequire gauges.example/old v1.0.0\n\nreplace gauges.example/local => ../local\nreplace gauges.example/old v1.0.0 => gauges.example/new v1.1.0\n';
  const beside = (name: string) =>
    name === 'go.sum' ? 'gauges.example/store v2.1.0 h1:abc=\ngauges.example/store v2.1.0/go.mod h1:def=\n' : null;
  const reading = read('go.mod', text, { beside });

  expect(summary(reading)).toEqual([
    'run gauges.example/store@v2.1.0',
    'indirect run gauges.example/cache@v1.2.0',
    'run gauges.example/new@v1.1.0',
  ]);
  expect(reading.packages.map(({ name, comment }) => [name, comment])).toEqual([
    ['gauges.example/store', 'go.sum says h1:abc='],
    ['gauges.example/cache', 'needed by another module'],
    ['gauges.example/new', 'in place of gauges.example/old'],
  ]);
});

it('reads a POM with what its parent settles, and says what it cannot know', () => {
  const parent =
    '<project><groupId>example</groupId><artifactId>parent</artifactId><version>1</version><properties><store.version>2.10</store.version></properties><dependencyManagement><dependencies><dependency><groupId>example</groupId><artifactId>cache</artifactId><version>1.2.0</version></dependency></dependencies></dependencyManagement></project>';
  const dependency = (artifact: string, inner: string) =>
    `<dependency><groupId>example</groupId><artifactId>${artifact}</artifactId>${inner}</dependency>`;
  const text = `<project><parent><groupId>example</groupId><artifactId>parent</artifactId><version>1</version></parent><artifactId>tides</artifactId><dependencies>${dependency('store', `<version>\${store.version}</version>`)}${dependency('cache', '')}${dependency('tool', '<version>1.0</version><scope>test</scope>')}${dependency('open', '<version>[1,2)</version>')}</dependencies></project>`;
  const reading = read('pom.xml', text, { beside: (name) => (name === '../pom.xml' ? parent : null) });

  expect(summary(reading)).toEqual([
    'run example:store@2.10',
    'run example:cache@1.2.0',
    'development example:tool@1.0',
    'run example:open@null',
  ]);
  expect(reading.unknown.join('\n')).toMatch(/which version of example:open/);
});

it('reads packages.lock.json, every framework', () => {
  const entry = (type: string, more: object) => ({
    type,
    resolved: '2.1.0',
    contentHash: Buffer.alloc(64, 2).toString('base64'),
    ...more,
  });
  const text = JSON.stringify({
    version: 1,
    dependencies: {
      'net8.0': {
        Store: entry('Direct', { dependencies: { Cache: '1.2.0' } }),
        Cache: { type: 'Transitive', resolved: '1.2.0' },
        Tides: { type: 'Project' },
      },
      'netstandard2.0': { Store: entry('Direct', {}) },
    },
  });
  const reading = read('packages.lock.json', text);

  expect(summary(reading)).toEqual(['run Store@2.1.0', 'Store@2.1.0 > Cache@1.2.0']);
  expect(reading.packages[0]).toMatchObject({
    comment: 'for net8.0, netstandard2.0',
    digests: [{ algorithm: 'SHA-512' }],
  });
});

describe('lockfiles of other kinds', () => {
  it.each(['tides.lock', 'a/Tide.lock.json', 'lock.yaml', 'tide-lock.toml', 'tides.lockb'])(
    '%s is found and not read',
    (path) => {
      expect(isUnknownLockfile(path)).toBe(true);
    },
  );

  it.each(['package-lock.json', 'yarn.lock', 'lock.ts', 'padlock.png', 'locks/readme.md', 'unlock.json'])(
    '%s is none of them',
    (path) => {
      expect(isUnknownLockfile(path)).toBe(false);
    },
  );
});

it.each([
  ['pnpm-lock.yaml', 'a: [1'],
  ['package-lock.json', '{'],
  ['Cargo.lock', '[[package'],
  ['pom.xml', '<project>'],
])('a broken %s is an error that names it', (file, text) => {
  expect(() => read(file, text)).toThrow(expect.objectContaining({ code: 'MANIFEST_INVALID' }));
});
