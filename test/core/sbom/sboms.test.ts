import { describe, expect, it } from 'vitest';
import type { PackageManifest } from '../../../src/core/manifest/package-manifest.ts';
import { withBundled } from '../../../src/core/sbom/bundled.ts';
import { compareFiles } from '../../../src/core/sbom/compare-files.ts';
import { compareSboms } from '../../../src/core/sbom/compare-sboms.ts';
import { type DependencyInput, findDependencies } from '../../../src/core/sbom/dependency-graph.ts';
import { checkSbom, formatSbom, kindOfFileName, parseSbom, readSbom } from '../../../src/core/sbom/formats.ts';
import { mergeSboms } from '../../../src/core/sbom/merge.ts';
import { formatPurl, purlProblem } from '../../../src/core/sbom/purl.ts';
import { reachKinds } from '../../../src/core/sbom/reach-kinds.ts';
import { type Sbom, sbomPackage } from '../../../src/core/sbom/sbom.ts';
import { verificationCode } from '../../../src/core/sbom/verification-code.ts';
import { usualLimits } from '../../../src/core/text/limits.ts';

const sha = (digit: string) => ({ sha1: digit.repeat(40), sha256: digit.repeat(64) });
const file = (path: string, digit = 'a') => ({ path, ...sha(digit), licences: ['MIT'], copyright: null });
const dependency = (name: string, version: string, more = {}) =>
  sbomPackage({
    id: `npm-${name}-${version}`,
    role: 'dependency',
    name,
    version,
    purl: formatPurl('npm', name, version),
    licence: 'MIT',
    ...more,
  });

function sbom(name = 'tidemark', more: Partial<Sbom> = {}): Sbom {
  const subject = sbomPackage({
    id: `release-${name}`,
    role: 'subject',
    name,
    version: '1.4.0',
    purl: formatPurl('npm', name, '1.4.0'),
    licence: 'MIT',
    supplier: 'Fenmarsh Tide Office',
  });
  const artifact = sbomPackage({
    id: `artifact-${name}.tgz`,
    role: 'artifact',
    name: `${name}.tgz`,
    fileName: `${name}.tgz`,
    licence: 'Harbour terms, see LICENSE',
    digests: [{ algorithm: 'SHA-256', value: name.length.toString(16).padStart(64, '0') }],
    files: [file('package/a.js'), { ...file('package/b.js', 'b'), copyright: 'Copyright 2026 Harbour desk' }],
  });
  const source = sbomPackage({ id: 'source', role: 'source', name, version: 'c'.repeat(40) });
  const store = dependency('store', '2.1.0', {
    foundIn: ['package-lock.json'],
    digests: [{ algorithm: 'SHA-512', value: 'c'.repeat(128) }],
  });
  return {
    name: `${name} 1.4.0`,
    created: '2026-11-23T08:00:00Z',
    tool: 'bevelstone-1.0.0',
    organisation: 'Fenmarsh Tide Office',
    namespace: null,
    subjects: [subject.id],
    packages: [
      subject,
      artifact,
      source,
      store,
      dependency('cache', '1.2.0'),
      dependency('tool', '1.0.0', { licence: null }),
    ],
    relations: [
      { from: subject.id, to: artifact.id, type: 'contains' },
      { from: artifact.id, to: 'source', type: 'generated-from' },
      { from: subject.id, to: 'npm-store-2.1.0', type: 'run' },
      { from: 'npm-store-2.1.0', to: 'npm-cache-1.2.0', type: 'run' },
      { from: subject.id, to: 'npm-tool-1.0.0', type: 'development' },
    ],
    unknown: ['nobody knows where the tide comes from'],
    ...more,
  };
}

const byId = <One extends { readonly id: string }>(list: readonly One[]) =>
  [...list].sort((a, b) => (a.id < b.id ? -1 : 1));

describe.each(['spdx', 'cyclonedx'] as const)('an SBOM as %s', (kind) => {
  const text = formatSbom(sbom(), kind);
  const read = () => readSbom(parseSbom(text, 'x.json'));

  it('follows its specification', () => {
    expect(checkSbom(parseSbom(text, 'x.json'))).toEqual([]);
  });

  it('is the same when it is written again, and another for other content', () => {
    const other = formatSbom(sbom('tidemark', { unknown: [] }), kind);
    const serial = (name: string) => /urn:uuid:[0-9a-f-]{36}/.exec(name)?.[0];

    expect(formatSbom(sbom(), kind)).toBe(text);
    expect(serial(other)).not.toBe(serial(text));
  });

  it('says after reading what was written', () => {
    const { subjects, packages, unknown, organisation } = read();

    expect(subjects).toEqual(['release-tidemark']);
    expect(unknown).toEqual(['nobody knows where the tide comes from']);
    expect(organisation).toBe('Fenmarsh Tide Office');
    expect(byId(packages).map(({ id, version, licence, purl }) => [id, version, licence, purl])).toEqual(
      byId(sbom().packages).map(({ id, version, licence, purl }) => [id, version, licence, purl]),
    );
    expect(packages.find(({ role }) => role === 'artifact')?.files).toEqual(sbom().packages[1]?.files);
  });

  it('tells kinds of dependency apart after reading', () => {
    expect([...reachKinds(read())].sort()).toEqual([
      ['npm-cache-1.2.0', 'run'],
      ['npm-store-2.1.0', 'run'],
      ['npm-tool-1.0.0', 'development'],
    ]);
  });
});

it.each([
  ['DESCRIBES', 'SPDXRef-DOCUMENT', 'SPDXRef-tides'],
  ['DESCRIBED_BY', 'SPDXRef-tides', 'SPDXRef-DOCUMENT'],
])(
  'an SPDX document by others says with %s what it is about',
  (relationshipType, spdxElementId, relatedSpdxElement) => {
    const packages = ['tides', 'store'].map((name) => ({ SPDXID: `SPDXRef-${name}`, name, versionInfo: '1.0.0' }));
    const depends = {
      spdxElementId: 'SPDXRef-tides',
      relationshipType: 'DEPENDS_ON',
      relatedSpdxElement: 'SPDXRef-store',
    };
    const document = {
      spdxVersion: 'SPDX-2.3',
      packages,
      relationships: [{ spdxElementId, relationshipType, relatedSpdxElement }, depends],
    };

    const { subjects, relations } = readSbom(parseSbom(JSON.stringify(document), 'x.json'));

    expect(subjects).toEqual(['tides']);
    expect(relations).toEqual([{ from: 'tides', to: 'store', type: 'run' }]);
  },
);

it('takes the verification code of the specification', () => {
  // What sha1sum says of the two digests in their order, "a…ab…b".
  expect(verificationCode([{ sha1: 'b'.repeat(40) }, { sha1: 'a'.repeat(40) }])).toBe(
    'c361e706434ebcd03e8857c6c8dd2786adaeb3ef',
  );
});

/** The document with one place changed, by path. */
function changed(kind: 'spdx' | 'cyclonedx', path: readonly (string | number)[], value: unknown) {
  const json = JSON.parse(formatSbom(sbom(), kind));
  const parent = path.slice(0, -1).reduce((at, step) => at[step], json);
  if (value === undefined) delete parent[path.at(-1) ?? ''];
  else parent[path.at(-1) ?? ''] = value;
  return checkSbom({ kind, json });
}

describe('the check of a wrong SBOM reports', () => {
  it.each<['spdx' | 'cyclonedx', (string | number)[], unknown, RegExp]>([
    ['spdx', ['dataLicense'], 'MIT', /^\/dataLicense none of the words/],
    ['spdx', ['creationInfo', 'created'], '23.11.2026', /^\/creationInfo\/created no time/],
    ['spdx', ['documentNamespace'], 'a#b', /no URI/],
    ['spdx', ['name'], undefined, /it has no `name`/],
    ['spdx', ['surprise'], 1, /^\/surprise the specification has no such field/],
    ['spdx', ['packages', 0, 'SPDXID'], 'Package-1', /no SPDX identifier/],
    ['spdx', ['packages', 1, 'SPDXID'], 'SPDXRef-Package-source', /occurs twice/],
    ['spdx', ['relationships', 0, 'relatedSpdxElement'], 'SPDXRef-Nothing', /unknown element SPDXRef-Nothing/],
    ['spdx', ['relationships', 0, 'relationshipType'], 'LIKES', /none of the words/],
    ['spdx', ['packages', 0, 'licenseDeclared'], 'Apache 2', /"Apache 2" is not a licence expression/],
    ['spdx', ['hasExtractedLicensingInfos'], [], /has no text in hasExtractedLicensingInfos/],
    ['spdx', ['packages', 0, 'externalRefs', 0, 'referenceLocator'], 'npm/tidemark', /invalid package URL/],
    ['spdx', ['files', 0, 'checksums', 0, 'checksumValue'], 'abc', /a SHA1 has 40 digits, this one has 3/],
    ['spdx', ['files', 0, 'checksums'], [], /it has no SHA1/],
    [
      'spdx',
      ['packages', 1, 'packageVerificationCode', 'packageVerificationCodeValue'],
      '0'.repeat(40),
      /that of its 2 files is/,
    ],
    ['cyclonedx', ['specVersion'], '9.9', /no version 1\.6/],
    ['cyclonedx', ['serialNumber'], 'urn:uuid:x', /no urn:uuid/],
    ['cyclonedx', ['metadata', 'timestamp'], 'today', /no time of RFC 3339/],
    ['cyclonedx', ['components', 0, 'type'], 'thing', /none of the words/],
    ['cyclonedx', ['components', 0, 'surprise'], 1, /has no such field/],
    ['cyclonedx', ['components', 1, 'bom-ref'], 'source', /source occurs twice/],
    ['cyclonedx', ['dependencies', 0, 'dependsOn'], ['nothing'], /unknown element nothing/],
    ['cyclonedx', ['components', 1, 'purl'], 'npm:store', /invalid package URL/],
    ['cyclonedx', ['components', 1, 'hashes', 0, 'content'], 'a'.repeat(40), /a SHA-512 has 128 digits/],
    ['cyclonedx', ['components', 1, 'licenses'], [{ license: { id: 'Apache 2' } }], /not on the SPDX licence list/],
    [
      'cyclonedx',
      ['components', 1, 'licenses'],
      [{ expression: 'MIT' }, { license: { id: 'MIT' } }],
      /must stand alone/,
    ],
    ['cyclonedx', ['components', 1, 'licenses'], [{ license: {} }], /either an id or a name/],
  ])('%s %j = %j', (kind, path, value, message) => {
    const told = changed(kind, path, value).map(
      (problem) =>
        `${problem.pointer} ${problem.message.replace(/^".*?" is /, (whole) => (whole.includes('Apache') ? whole : ''))}`,
    );

    expect(told.join('\n')).toMatch(message);
  });

  it.each([
    ['{', /JSON/],
    ['{"name": "x"}', /neither `spdxVersion`, nor `bomFormat`/],
  ])('%s is unreadable', (text, why) => {
    expect(() => parseSbom(text, 'x.json')).toThrow(
      expect.objectContaining({ code: 'SBOM_UNREADABLE', why: expect.stringMatching(why) }),
    );
  });
});

it('names files that are missing, extra and altered', () => {
  const there = [file('package/a.js', 'f'), file('package/c.js')];

  expect(compareFiles(sbom(), 'tidemark.tgz', there)).toEqual({
    missing: ['package/b.js'],
    extra: ['package/c.js'],
    altered: ['package/a.js'],
  });
  expect(compareFiles(sbom(), null, sbom().packages[1]?.files ?? [])).toEqual({ missing: [], extra: [], altered: [] });
  expect(compareFiles({ ...sbom(), packages: [] }, null, there)).toBeNull();
});

it('merges SBOMs without duplicates or clashing ids', () => {
  const other = sbom('gauges');
  const merged = mergeSboms(
    [
      sbom(),
      {
        ...other,
        packages: other.packages.map((pkg) => (pkg.id === 'npm-tool-1.0.0' ? { ...pkg, licence: 'ISC' } : pkg)),
      },
    ],
    'both',
  );
  const ids = merged.packages.map(({ id }) => id);

  expect(new Set(ids).size).toBe(ids.length);
  expect(merged.subjects).toEqual(['release-tidemark', 'release-gauges']);
  expect(merged.packages.filter(({ name }) => name === 'store')).toHaveLength(1);
  expect(merged.packages.find(({ name }) => name === 'tool')?.licence).toBe('ISC');
  for (const kind of ['spdx', 'cyclonedx'] as const)
    expect(checkSbom(parseSbom(formatSbom(merged, kind), 'x'))).toEqual([]);
});

it('merging keeps a subject that another SBOM lists as a dependency', () => {
  const tides = sbom();
  const asDependency = (role: 'subject' | 'dependency'): Sbom => ({
    ...tides,
    subjects: role === 'subject' ? tides.subjects : [],
    packages: tides.packages.map((pkg) => (tides.subjects.includes(pkg.id) ? { ...pkg, role } : pkg)),
  });

  for (const order of [
    ['subject', 'dependency'],
    ['dependency', 'subject'],
  ] as const) {
    const merged = mergeSboms(order.map(asDependency), 'both');
    expect(merged.packages.filter(({ role }) => role === 'subject').map(({ name }) => name)).toEqual(['tidemark']);
  }
});

it('merging an SBOM with itself changes nothing', () => {
  expect(mergeSboms([sbom(), sbom()], sbom().name)).toEqual(sbom());
});

it('tells what changed between two releases', () => {
  const { packages } = sbom();
  const now = {
    ...sbom(),
    packages: [
      ...packages.filter(({ name }) => name !== 'cache' && name !== 'store'),
      dependency('store', '3.0.0', { licence: 'ISC' }),
      dependency('fresh', '1.0.0'),
    ],
  };

  expect(compareSboms(sbom(), now)).toEqual({
    added: [{ name: 'fresh', version: '1.0.0', licence: 'MIT' }],
    removed: [{ name: 'cache', version: '1.2.0', licence: 'MIT' }],
    upgraded: [{ name: 'store', before: '2.1.0', after: '3.0.0' }],
    relicensed: [{ name: 'store', before: 'MIT', after: 'ISC' }],
  });
});

it.each([
  ['npm', '@tide/store', '2.1.0', 'pkg:npm/%40tide/store@2.1.0'],
  ['pypi', 'Tide_Store', '2.1.0', 'pkg:pypi/tide-store@2.1.0'],
  ['maven', 'example.fenmarsh:store', '2.1.0', 'pkg:maven/example.fenmarsh/store@2.1.0'],
  ['golang', 'gauges.example/tide/store', 'v2.1.0', 'pkg:golang/gauges.example/tide/store@v2.1.0'],
  ['npm', 'store', null, 'pkg:npm/store'],
] as const)('%s %s %s is %s', (type, name, version, purl) => {
  expect(formatPurl(type, name, version)).toBe(purl);
  expect(purlProblem(purl)).toBeNull();
});

it.each([
  ['a.spdx.json', 'spdx'],
  ['a.cdx.json', 'cyclonedx'],
  ['bom.json', 'cyclonedx'],
  ['a.json', null],
])('%s is called like %s', (name, kind) => {
  expect(kindOfFileName(name)).toBe(kind);
});

describe('dependencies of a package', () => {
  const manifest = (
    name: string,
    dependencies: PackageManifest['dependencies'],
    more: Partial<PackageManifest> = {},
  ): PackageManifest => ({ name, version: '1.0.0', description: null, licence: null, dependencies, ...more });
  const lock = JSON.stringify({
    lockfileVersion: 3,
    packages: {
      '': {},
      'packages/gauges': { dependencies: { store: '2', tidemark: '1' } },
      'packages/tidemark': { dependencies: { other: '1' } },
      'node_modules/store': { version: '2.1.0' },
      'node_modules/other': { version: '1.0.0' },
    },
  });
  const input: DependencyInput = {
    folder: 'packages/gauges',
    limits: usualLimits,
    otherFolders: ['packages/tidemark'],
    own: new Map([
      ['tidemark', { version: '1.4.0', licence: 'MIT', type: 'npm' as const, folder: 'packages/tidemark' }],
    ]),
    paths: [
      'package-lock.json',
      'packages/gauges/tools/go.mod',
      'packages/gauges/tide.lock',
      'packages/tidemark/yarn.lock',
    ],
    texts: new Map([
      ['package-lock.json', lock],
      ['packages/gauges/tools/go.mod', 'module x\nrequire gauges.example/deep v1.0.0\n'],
      ['packages/tidemark/yarn.lock', ''],
    ]),
    manifests: [
      {
        path: 'packages/gauges/package.json',
        ecosystem: 'node',
        manifest: manifest('gauges', [
          { name: 'store', range: '2', kind: 'run' },
          { name: 'tidemark', range: '1', kind: 'run' },
        ]),
      },
      {
        path: 'packages/gauges/vendor/tables/package.json',
        ecosystem: 'node',
        manifest: manifest('tables', [], { licence: 'ISC' }),
      },
      {
        path: 'packages/gauges/plot/pyproject.toml',
        ecosystem: 'python',
        manifest: manifest('plot', [{ name: 'open-range', range: '>=1', kind: 'run' }]),
      },
    ],
    organisation: 'Fenmarsh Tide Office',
    installed: ({ name }) => (name === 'store' ? { licence: 'MIT', supplier: 'Harbour desk' } : null),
  };
  const graph = findDependencies(input, 'root');

  it('are found in the lockfile above, and at any depth below', () => {
    expect(graph.packages.map(({ name, version, licence, supplier }) => [name, version, licence, supplier])).toEqual([
      ['gauges.example/deep', 'v1.0.0', null, null],
      ['other', '1.0.0', null, null],
      ['store', '2.1.0', 'MIT', 'Harbour desk'],
      ['tables', '1.0.0', 'ISC', null],
      ['tidemark', '1.4.0', 'MIT', 'Fenmarsh Tide Office'],
      ['open-range', null, null, null],
    ]);
  });

  it('say how they are needed', () => {
    expect(graph.relations.map(({ to, type }) => [to, type]).sort()).toEqual([
      ['golang-gauges.example-deep-v1.0.0', 'run'],
      ['npm-other-1.0.0', 'run'],
      ['npm-store-2.1.0', 'run'],
      ['npm-tables-1.0.0', 'contains'],
      ['npm-tidemark-1.4.0', 'run'],
      ['pypi-open-range', 'run'],
    ]);
  });

  it('say where they were found, and what was not read or stays open', () => {
    expect(graph.sources.map(({ path, direct, unread }) => [path, direct, unread === null])).toEqual([
      ['package-lock.json', 1, true],
      ['packages/gauges/tide.lock', 0, false],
      ['packages/gauges/tools/go.mod', 1, true],
      ['packages/gauges/package.json', 1, true],
      ['packages/gauges/vendor/tables/package.json', 1, true],
      ['packages/gauges/plot/pyproject.toml', 1, true],
    ]);
    expect(graph.unknown.join('\n')).toMatch(/tide\.lock was found and not read[\s\S]*which version of open-range/);
  });
});

describe('SBOMs inside artifacts', () => {
  const inner = (sbom: object) => ({
    artifact: 'tidemark.tgz',
    path: 'package/b.cdx.json',
    text: JSON.stringify(sbom),
  });
  const component = (name: string, more = {}) => ({
    type: 'library',
    name,
    version: '2.1.0',
    purl: `pkg:npm/${name}@2.1.0`,
    ...more,
  });
  const bundle = { bomFormat: 'CycloneDX', specVersion: '1.6', metadata: { component: component('bundle') } };
  const root = 'release-tidemark';

  it('add what they list as contained, and a known package once', () => {
    const list = inner({
      ...bundle,
      components: [component('store'), component('gauge'), component('gauge', { version: '3.0.0', purl: undefined })],
    });
    const whole = withBundled(sbom(), root, [list, list]);
    const added = whole.packages.slice(sbom().packages.length);

    expect(added.map(({ name, version, role, foundIn }) => [name, version, role, foundIn])).toEqual([
      ['gauge', '2.1.0', 'dependency', ['tidemark.tgz/package/b.cdx.json']],
      ['gauge', '3.0.0', 'dependency', ['tidemark.tgz/package/b.cdx.json']],
    ]);
    const contained = whole.relations
      .filter(({ from, type }) => from === root && type === 'contains')
      .map(({ to }) => to);
    expect(contained).toEqual(expect.arrayContaining(['npm-store-2.1.0', ...added.map(({ id }) => id)]));
    expect(whole.packages.find(({ name }) => name === 'store')?.foundIn).toContain('tidemark.tgz/package/b.cdx.json');
    for (const kind of ['spdx', 'cyclonedx'] as const)
      expect(checkSbom(parseSbom(formatSbom(whole, kind), 'x'))).toEqual([]);
  });

  it('about the package itself add nothing: what it needs is not bundled', () => {
    const own = sbom().packages.find(({ id }) => id === root)?.purl ?? '';
    const list = inner({
      ...bundle,
      metadata: { component: { ...component('tidemark'), purl: own } },
      components: [component('gauge')],
    });

    expect(own).toContain('pkg:npm/');
    expect(withBundled(sbom(), root, [list]).packages).toHaveLength(sbom().packages.length);
  });

  it('that cannot be read are among what is not known', () => {
    const { packages, unknown } = withBundled(sbom(), root, [inner({ tides: true }), { ...inner({}), text: '{' }]);

    expect(packages).toHaveLength(sbom().packages.length);
    expect(
      unknown.filter((text) => text.startsWith('package/b.cdx.json in tidemark.tgz could not be read')),
    ).toHaveLength(2);
  });

  it('make of what is only developed with something that is shipped', () => {
    const whole = sbom();
    const developed = { ...whole, relations: [{ from: root, to: 'npm-store-2.1.0', type: 'development' as const }] };

    expect(reachKinds(developed).get('npm-store-2.1.0')).toBe('development');
    expect(
      reachKinds(withBundled(developed, root, [inner({ ...bundle, components: [component('store')] })])).has(
        'npm-store-2.1.0',
      ),
    ).toBe(false);
  });
});

it('an SPDX document may describe only what it has', () => {
  const problems = (documentDescribes: readonly string[]) => {
    const json = { ...parseSbom(formatSbom(sbom(), 'spdx'), 'x').json, documentDescribes };
    return checkSbom({ kind: 'spdx', json }).map(({ pointer }) => pointer);
  };
  const [known] = parseSbom(formatSbom(sbom(), 'spdx'), 'x').json['packages'] as readonly { SPDXID: string }[];

  expect(problems([known?.SPDXID ?? ''])).toEqual([]);
  expect(problems([known?.SPDXID ?? '', 'SPDXRef-gone'])).toEqual(['/documentDescribes/1']);
});

it.each([
  [null, /^urn:uuid:[0-9a-f-]{36}$/],
  ['https://tides.example/spdx/', /^https:\/\/tides\.example\/spdx\/tidemark-1\.4\.0-[0-9a-f-]{36}$/],
])('with the namespace %s an SPDX document has a namespace of its own below it', (namespace, pattern) => {
  const { json } = parseSbom(formatSbom({ ...sbom(), namespace }, 'spdx'), 'x');

  expect(json['documentNamespace']).toMatch(pattern);
  expect(checkSbom({ kind: 'spdx', json })).toEqual([]);
});

it.each([
  ['as components', { components: [{ name: 'tide-tool', version: '2.1' }] }, 'tide-tool-2.1'],
  ['as a list, the older way', [{ name: 'tide-tool', version: '2.1' }], 'tide-tool-2.1'],
  ['without a version', [{ name: 'tide-tool' }], 'tide-tool-0'],
  ['not at all', [], ''],
])('names the tool that made a CycloneDX document: %s', (_, tools, expected) => {
  const document = { bomFormat: 'CycloneDX', specVersion: '1.6', version: 1, metadata: { tools }, components: [] };

  expect(readSbom(parseSbom(JSON.stringify(document), 'x.json')).tool).toBe(expected);
});
