// SBOMs of other versions and authors: named as what they are, and checked by the rules of their own version.
import { describe, expect, it } from 'vitest';
import { renderSbomPage } from '../../../src/core/page/sbom-page.ts';
import { compareFiles } from '../../../src/core/sbom/compare-files.ts';
import { checkSbom, isCheckable, parseSbom, readSbom, titleOf } from '../../../src/core/sbom/formats.ts';
import { overviewOf } from '../../../src/core/sbom/overview.ts';
import { type Sbom, sbomPackage, workspaceComment } from '../../../src/core/sbom/sbom.ts';

const parse = (json: object) => parseSbom(JSON.stringify(json), 'theirs.json');

const cycloneDx = (specVersion: string, more: object = {}, component: object = {}) =>
  parse({
    bomFormat: 'CycloneDX',
    specVersion,
    metadata: { tools: [{ name: 'theirs' }] },
    components: [{ type: 'library', name: 'store', version: '2.1.0', ...component }],
    ...more,
  });

const spdx = (version: string, pkg: object, more: object = {}) =>
  parse({
    spdxVersion: `SPDX-${version}`,
    dataLicense: 'CC0-1.0',
    SPDXID: 'SPDXRef-DOCUMENT',
    name: 'tides',
    documentNamespace: 'https://theirs.example/tides',
    creationInfo: { created: '2026-03-02T08:00:00Z', creators: ['Tool: theirs-1'] },
    packages: [{ SPDXID: 'SPDXRef-p', name: 'tides', downloadLocation: 'NONE', filesAnalyzed: false, ...pkg }],
    documentDescribes: ['SPDXRef-p'],
    ...more,
  });

const older = { licenseConcluded: 'MIT', licenseDeclared: 'MIT', copyrightText: 'NONE' };

it.each([
  [cycloneDx('1.4'), 'CycloneDX 1.4', true],
  [cycloneDx('1.5'), 'CycloneDX 1.5', true],
  [cycloneDx('1.7'), 'CycloneDX 1.7', false],
  [spdx('2.2', older), 'SPDX 2.2', true],
  [spdx('2.3', {}), 'SPDX 2.3', true],
])('%#: is called what it is, and nothing is wrong with it', (document, title, checkable) => {
  expect([titleOf(document), isCheckable(document), checkSbom(document)]).toEqual([title, checkable, []]);
});

it.each([
  [cycloneDx('1.4', { annotations: [] }), '/annotations'],
  [cycloneDx('1.4', { metadata: { tools: { components: [] } } }), '/metadata/tools'],
  [cycloneDx('1.5', { declarations: {} }), '/declarations'],
  [cycloneDx('1.4', {}, { type: 'platform' }), '/components/0/type'],
  [
    cycloneDx('1.5', {}, { externalReferences: [{ type: 'rfc-9116', url: 'x' }] }),
    '/components/0/externalReferences/0/type',
  ],
  [cycloneDx('1.5', {}, { components: [{ type: 'library', name: 'a', tags: [] }] }), '/components/0/components/0/tags'],
  [spdx('2.2', { ...older, primaryPackagePurpose: 'LIBRARY' }), '/packages/0/primaryPackagePurpose'],
  [
    spdx('2.2', { ...older, checksums: [{ algorithm: 'BLAKE3', checksumValue: 'ab' }] }),
    '/packages/0/checksums/0/algorithm',
  ],
  [spdx('2.2', { licenseConcluded: 'MIT', licenseDeclared: 'MIT' }), '/packages/0'],
])('%#: what its version does not know yet, or still asks for, is named', (document, pointer) => {
  expect(checkSbom(document).map((problem) => problem.pointer)).toEqual([pointer]);
});

describe('SPDX 3.0.1', () => {
  const graph = [
    { type: 'CreationInfo', '@id': '_:c', specVersion: '3.0.1', created: '2026-03-02T08:00:00Z', createdBy: ['urn:o'] },
    { type: 'Organization', spdxId: 'urn:o', name: 'Saltmarsh Instruments', creationInfo: '_:c' },
    { type: 'SpdxDocument', spdxId: 'urn:d', name: 'lunar', rootElement: ['urn:b'], creationInfo: '_:c' },
    { type: 'software_Sbom', spdxId: 'urn:b', rootElement: ['urn:p'], creationInfo: '_:c' },
    {
      type: 'software_Package',
      spdxId: 'urn:p',
      name: 'lunar',
      software_packageVersion: '2.1.0',
      software_packageUrl: 'pkg:npm/lunar@2.1.0',
      suppliedBy: 'urn:o',
      verifiedUsing: [{ type: 'Hash', algorithm: 'sha256', hashValue: 'ab'.repeat(32) }],
    },
    { type: 'software_Package', spdxId: 'urn:a', name: 'angles', software_packageVersion: '1.4.2' },
    { type: 'software_Package', spdxId: 'urn:t', name: 'tool' },
    { type: 'software_File', spdxId: 'urn:f', name: './index.js' },
    { type: 'simplelicensing_LicenseExpression', spdxId: 'urn:l', simplelicensing_licenseExpression: 'Apache-2.0' },
    { type: 'Relationship', spdxId: 'urn:1', from: 'urn:p', relationshipType: 'hasDeclaredLicense', to: ['urn:l'] },
    { type: 'Relationship', spdxId: 'urn:2', from: 'urn:p', relationshipType: 'dependsOn', to: ['urn:a'] },
    {
      type: 'LifecycleScopedRelationship',
      spdxId: 'urn:3',
      from: 'urn:p',
      relationshipType: 'dependsOn',
      scope: 'build',
      to: ['urn:t'],
    },
    { type: 'Relationship', spdxId: 'urn:4', from: 'urn:p', relationshipType: 'contains', to: ['urn:f'] },
    {
      type: 'Relationship',
      spdxId: 'urn:5',
      from: 'urn:a',
      relationshipType: 'hasConcludedLicense',
      to: ['https://spdx.org/licenses/ISC'],
    },
  ];
  const document = parse({ '@context': 'https://spdx.org/rdf/3.0.1/spdx-context.jsonld', '@graph': graph });

  it('is read, named, and not claimed to be checked', () => {
    const sbom = readSbom(document);

    expect([titleOf(document), isCheckable(document)]).toEqual(['SPDX 3.0.1', false]);
    expect(sbom.packages.map(({ name, version, licence, role }) => [name, version, licence, role])).toEqual([
      ['lunar', '2.1.0', 'Apache-2.0', 'subject'],
      ['angles', '1.4.2', 'ISC', 'dependency'],
      ['tool', null, null, 'dependency'],
    ]);
    expect(sbom.relations).toEqual([
      { from: 'urn:p', to: 'urn:a', type: 'run' },
      { from: 'urn:p', to: 'urn:t', type: 'build' },
    ]);
    expect(sbom.packages[0]).toMatchObject({ supplier: 'Saltmarsh Instruments', digests: [{ algorithm: 'SHA-256' }] });
    expect(sbom.packages[0]?.files?.map(({ path }) => path)).toEqual(['index.js']);
  });

  it.each([
    [{ '@graph': graph }],
    [{ '@context': 'https://other.example/context.jsonld', '@graph': graph }],
    [{ '@context': 'https://spdx.org/rdf/3.0.1/spdx-context.jsonld', '@graph': {} }],
  ])('%#: is no SPDX without its own context', (json) => {
    expect(() => parse(json)).toThrow('not an SBOM');
  });

  it('of a broken graph is read as far as it goes', () => {
    const odd = graph.map((element) => ({
      ...element,
      to: 7,
      rootElement: { a: 1 },
      verifiedUsing: 'x',
      createdBy: [null],
    }));

    expect(
      readSbom(parse({ '@context': 'https://spdx.org/rdf/3.0.1/spdx-context.jsonld', '@graph': [...odd, null, 3] }))
        .packages,
    ).toHaveLength(3);
  });
});

const dependency = (name: string, more: Partial<Parameters<typeof sbomPackage>[0]> = {}) =>
  sbomPackage({ id: name, role: 'dependency', name, version: '1.0.0', ...more });

const sbom: Sbom = {
  name: 'tides 1.4.0',
  created: '2026-03-02T08:00:00Z',
  tool: 'theirs-1',
  organisation: 'Fenmarsh Tide Office',
  namespace: null,
  subjects: ['tides'],
  packages: [
    sbomPackage({ id: 'tides', role: 'subject', name: 'tides', version: '1.4.0', licence: 'MIT' }),
    dependency('store', { licence: 'MIT', foundIn: ['package-lock.json'] }),
    dependency('cache', { licence: 'MIT' }),
    dependency('gauges', { comment: workspaceComment }),
    dependency('<b>odd</b>', { comment: 'a copy in vendor/odd' }),
    dependency('open', { version: null, comment: 'asked for as ^1', foundIn: ['package.json'] }),
    dependency('adrift'),
  ],
  relations: [
    { from: 'tides', to: 'store', type: 'run' },
    { from: 'store', to: 'cache', type: 'run' },
    { from: 'tides', to: 'gauges', type: 'run' },
    { from: 'gauges', to: 'store', type: 'run' },
    { from: 'tides', to: 'open', type: 'development' },
    { from: 'tides', to: '<b>odd</b>', type: 'contains' },
  ],
  unknown: ['package.json leaves open which version of open is meant'],
};

it('the overview tells first-party from third-party, counts licences, and gives reasons', () => {
  const { tree, contained, loose, firstParty, licences, kinds, open } = overviewOf(sbom);

  expect(tree.map(({ pkg, depth, isAgain }) => `${'-'.repeat(depth)}${pkg.name}${isAgain ? ' again' : ''}`)).toEqual([
    'gauges',
    '-store',
    '--cache',
    'store again',
    'open',
  ]);
  expect([contained, loose, firstParty].map((list) => list.map(({ name }) => name))).toEqual([
    ['<b>odd</b>'],
    ['adrift'],
    ['gauges'],
  ]);
  expect(licences.map(({ licence, names }) => [licence, names.length])).toEqual([
    ['MIT', 2],
    [null, 3],
  ]);
  expect(kinds).toEqual([
    { kind: 'run', count: 3 },
    { kind: 'development', count: 1 },
    { kind: 'contained', count: 1 },
  ]);
  expect(open).toContainEqual({
    what: 'version',
    why: 'package.json asks for ^1, and no lockfile says what that is',
    names: ['open'],
  });
  expect(open).toContainEqual({ what: 'licence', why: 'its own manifest names none', names: ['<b>odd</b> 1.0.0'] });
});

it('the page loads nothing, escapes what comes from outside, and says what is incomplete', () => {
  const page = renderSbomPage(sbom, { format: 'SPDX 2.3', file: 'a.json', against: null, comparison: null });

  expect(page).toContain("default-src 'none'");
  expect(page).not.toMatch(/<script|<b>odd|src=|<link/);
  expect(page).toContain('&lt;b&gt;odd&lt;/b&gt;');
  expect(page).toContain('Incomplete: 1 thing could not be determined');
});

describe('a folder of a release with several artifacts', () => {
  const file = (path: string, sha256: string) => ({ path, sha1: '', sha256, licences: [], copyright: null });
  const artifact = (name: string, digest: string, inside: string[]) =>
    sbomPackage({
      id: name,
      role: 'artifact',
      name,
      fileName: name,
      digests: [{ algorithm: 'SHA-256', value: digest }],
      files: inside.map((path) => file(path, path)),
    });
  const release: Sbom = {
    ...sbom,
    packages: [artifact('a.tgz', '1', ['package/a.js', 'package/b.js']), artifact('a.whl', '2', ['a/__init__.py'])],
  };

  it.each([
    ['with the artifacts', [file('a.tgz', '1'), file('a.whl', '2'), file('SHA256SUMS', '3')], [], []],
    ['with an artifact changed', [file('a.tgz', '9'), file('a.whl', '2')], [], ['a.tgz']],
    ['without one', [file('a.tgz', '1')], ['a.whl'], []],
    ['with one unpacked', [file('package/a.js', 'package/a.js')], ['package/b.js'], []],
  ])('%s', (_, files, missing, altered) => {
    expect(compareFiles(release, null, files)).toEqual({ missing, extra: [], altered });
  });

  it('that has nothing of it cannot be compared', () => {
    expect(compareFiles(release, null, [file('other', 'x')])).toBeNull();
  });
});
