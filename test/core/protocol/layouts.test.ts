import { describe, expect, it } from 'vitest';
import { indexPath } from '../../../src/core/protocol/crate-index/crate-path.ts';
import { crateNeeds, indexLine, parseIndexFile } from '../../../src/core/protocol/crate-index/index-line.ts';
import { crateIndex } from '../../../src/core/protocol/crate-index/layout.ts';
import { downloadUrl, errorIn, publishHead } from '../../../src/core/protocol/crate-registry/registry.ts';
import { type LayoutParcel, type LayoutView, pathBelow } from '../../../src/core/protocol/layout.ts';
import { npmStatic } from '../../../src/core/protocol/npm-static/layout.ts';
import { simpleIndex } from '../../../src/core/protocol/simple-index/layout.ts';
import { attributeOf, formatPage, parsePage } from '../../../src/core/protocol/simple-index/page.ts';
import { parcelFor } from '../../builders/parcel.ts';

const view: LayoutView = {
  destination: 'office',
  base: 'https://packages.fenmarsh.example/',
  now: new Date('2026-11-29T08:00:00Z'),
  config: { snapshots: false, access: null, 'others-from': null },
};

/** What an index becomes by a release. */
function indexWith(layout: typeof npmStatic, parcel: LayoutParcel, before: string | null): string {
  const places = [layout.place(parcel, view, null)];
  const index = layout.index(parcel, view);
  const change = layout.list([parcel], places, view).find(({ path }) => path === index);
  return change?.change(before) ?? before ?? '';
}

describe('a page for Python', () => {
  const foreign = `<!DOCTYPE html><html><body>
<a href='old-1.0.tar.gz#sha256=${'a'.repeat(64)}' data-requires-python=">=3.8" data-gpg-sig=true>tidemark_py-1.0.tar.gz</a>
<A HREF="https://files.fenmarsh.example/x.whl">tidemark_py-1.1-py3-none-any.whl</A><br/>
</body></html>`;

  it('that others wrote is read, and their links stay with all they came with', async () => {
    const page = indexWith(simpleIndex, await parcelFor('simple-index'), foreign);
    const anchors = parsePage(page) ?? [];

    expect(anchors.map(({ label }) => label)).toEqual([
      'tidemark_py-1.0.tar.gz',
      'tidemark_py-1.1-py3-none-any.whl',
      'tidemark_py-1.4.0-py3-none-any.whl',
    ]);
    expect(attributeOf(anchors[0] as never, 'data-requires-python')).toBe('>=3.8');
    expect(page).toContain('data-gpg-sig=true');
    expect(
      simpleIndex.read(page, { name: 'tidemark-py' }, view)?.map(({ version, files }) => [version, files]),
    ).toEqual([
      ['1.0', ['simple/tidemark-py/old-1.0.tar.gz']],
      ['1.4.0', ['simple/tidemark-py/tidemark_py-1.4.0-py3-none-any.whl']],
    ]);
  });

  it('has the digest of the metadata that lies beside a wheel', async () => {
    const parcel = await parcelFor('simple-index');
    const place = simpleIndex.place(parcel, view, null);
    const [beside] = simpleIndex.beside(parcel, place, view);
    const anchor = parsePage(indexWith(simpleIndex, parcel, null))?.[0];

    expect(beside?.path).toBe(`${place}.metadata`);
    expect(anchor?.attributes).toMatch(/data-core-metadata="sha256=[0-9a-f]{64}"/);
    // PEP 714: the older name for older clients.
    expect(anchor?.attributes).toMatch(/data-dist-info-metadata="sha256=[0-9a-f]{64}"/);
    const broken = { ...parcel, manifestText: 'Name: \ufffd' };
    expect(simpleIndex.beside(broken, place, view)).toEqual([]);
  });

  it('is the same as JSON', async () => {
    const parcel = await parcelFor('simple-index');
    const change = simpleIndex.list([parcel], [simpleIndex.place(parcel, view, null)], view)[0];
    const text = change?.change(foreign) ?? '';
    const [json] = change?.follow?.(text) ?? [];
    const value = JSON.parse(json !== undefined && 'text' in json.content ? json.content.text : '{}');

    expect(value).toMatchObject({ meta: { 'api-version': '1.0' }, name: 'tidemark-py' });
    expect(value.files[0]).toEqual({
      filename: 'tidemark_py-1.0.tar.gz',
      url: 'old-1.0.tar.gz',
      hashes: { sha256: 'a'.repeat(64) },
      'requires-python': '>=3.8',
    });
    expect(value.files[2]['core-metadata']).toEqual({ sha256: expect.stringMatching(/^[0-9a-f]{64}$/) });
  });

  it.each(['<a href="x" title=">">a</a>', `<a href='x'>&#x61;&amp;&#98;</a>`, '<a\nhref = "x" hidden>a</a>'])(
    'with %j is read',
    (text) => {
      expect(attributeOf(parsePage(text)?.[0] as never, 'href')).toBe('x');
    },
  );

  it('keeps what its links say, whatever that is', () => {
    const anchors = parsePage(formatPage('<Tides>', [{ attributes: 'href="a&amp;b"', label: '<&>"' }]));
    expect(anchors).toEqual([{ attributes: 'href="a&amp;b"', label: '<&>"' }]);
  });

  it('with another digest for a file of the same name is an error', async () => {
    const parcel = await parcelFor('simple-index');
    const page = indexWith(simpleIndex, parcel, null);
    expect(() => indexWith(simpleIndex, { ...parcel, sha256: 'f'.repeat(64) }, page)).toThrow('another digest');
  });
});

describe('a document for npm', () => {
  it('keeps fields that others added, and moves only the pointer of the stream', async () => {
    const before = JSON.stringify({
      name: 'tidemark',
      readme: 'x',
      'dist-tags': { latest: '2.0.0', harbour: '1.0.0' },
      versions: { '2.0.0': { name: 'tidemark', version: '2.0.0', dist: { tarball: 'x' }, _more: 1 } },
      time: { created: '2020-01-01T00:00:00.000Z' },
    });
    const document = JSON.parse(indexWith(npmStatic, await parcelFor('npm-static'), before));

    expect(document['dist-tags']).toEqual({ latest: '2.0.0', harbour: '1.0.0', stable: '1.4.0' });
    expect(document.versions['2.0.0']._more).toBe(1);
    expect(document.time.created).toBe('2020-01-01T00:00:00.000Z');
    expect(document.versions['1.4.0'].dist).toMatchObject({
      integrity: expect.stringMatching(/^sha512-/),
      tarball: 'https://packages.fenmarsh.example/_tarballs/tidemark/tidemark-1.4.0.tgz',
    });
  });

  it.each(['../x', 'a/b/c', '@x', '_x', '.x', ''])('has no place for a package named %j', async (name) => {
    const parcel = { ...(await parcelFor('npm-static')), name };
    expect(() => npmStatic.index(parcel, view)).toThrow('does not accept');
  });
});

describe('an index of crates', () => {
  it.each([
    ['a', '1/a'],
    ['ab', '2/ab'],
    ['Abc', '3/a/abc'],
    ['Tide-Tables', 'ti/de/tide-tables'],
  ])('has %s at %s', (name, path) => {
    expect(indexPath(name)).toBe(path);
  });

  const manifest = {
    package: { name: 'rings', links: 'rings', 'rust-version': '1.70' },
    dependencies: {
      lines: '1',
      words: { package: 'clock-words', version: '0.3', optional: true, 'default-features': false },
    },
    'dev-dependencies': { tests: { version: '2', 'registry-index': 'sparse+https://crates.other.example/' } },
    target: {
      'cfg(unix)': {
        'build-dependencies': { cc: { version: '1', 'registry-index': 'sparse+https://own.example/i/' } },
      },
    },
    features: { default: ['fast'], fast: [], full: ['dep:words', 'lines?/x'] },
  };
  const places = { own: 'https://own.example/i/', others: 'https://all.example/' };

  it('says what a crate needs, and from where', () => {
    const needs = crateNeeds(manifest, places).map(({ crate, renamed, kind, target, registry }) => [
      crate,
      renamed,
      kind,
      target,
      registry,
    ]);

    expect(needs).toEqual([
      ['lines', null, 'normal', null, 'https://all.example/'],
      ['clock-words', 'words', 'normal', null, 'https://all.example/'],
      ['tests', null, 'dev', null, 'sparse+https://crates.other.example/'],
      ['cc', null, 'build', 'cfg(unix)', null],
    ]);
  });

  it('has features of the newer syntax apart, so that older clients pass over the line', () => {
    const line = JSON.parse(indexLine({ manifest, version: '1.0.0', sha256: 'a'.repeat(64), places }));

    expect(line).toMatchObject({
      v: 2,
      features: { default: ['fast'], fast: [] },
      features2: { full: ['dep:words', 'lines?/x'] },
      links: 'rings',
      rust_version: '1.70',
      yanked: false,
    });
    expect(line.deps[1]).toMatchObject({
      name: 'words',
      package: 'clock-words',
      optional: true,
      default_features: false,
    });
  });

  it('keeps lines of others byte for byte', async () => {
    const other = '{"name":"tidemark","vers":"1.0.0","deps":[],"cksum":"x", "more":1,"features":{},"yanked":false}\n';
    const text = indexWith(crateIndex, await parcelFor('crate-index'), other);

    expect(text.startsWith(other)).toBe(true);
    expect(parseIndexFile(text)?.map(({ version }) => version)).toEqual(['1.0.0', '1.4.0']);
  });

  it('refuses a name that differs in capitals from the one that is there', async () => {
    const other = '{"name":"Tidemark","vers":"1.0.0","deps":[],"cksum":"x","features":{},"yanked":false}\n';
    const parcel = await parcelFor('crate-index');
    expect(() => indexWith(crateIndex, parcel, other)).toThrow('does not accept');
  });

  it.each([
    ['https://a.example/api', 'https://a.example/api/Rings/1.0.0/download'],
    ['https://a.example/{crate}-{version}.crate', 'https://a.example/Rings-1.0.0.crate'],
    ['https://a.example/{prefix}/{lowerprefix}/{sha256-checksum}', 'https://a.example/Ri/ng/ri/ng/abc'],
  ])('with downloads at %s has %s', (dl, expected) => {
    expect(downloadUrl({ dl, api: null }, { name: 'Rings', version: '1.0.0', sha256: 'abc' })).toBe(expected);
  });

  it('takes a publish request of two lengths, metadata and file', () => {
    const head = publishHead({ name: 'ä' }, 7);
    const length = head.readUInt32LE(0);

    expect(JSON.parse(head.subarray(4, 4 + length).toString('utf8'))).toEqual({ name: 'ä' });
    expect(head.readUInt32LE(4 + length)).toBe(7);
    expect(head).toHaveLength(8 + length);
  });

  it('may say that something is wrong with status 200', () => {
    expect(errorIn({ errors: [{ detail: 'a' }, { detail: 'b' }] })).toBe('a; b');
    expect(errorIn({ warnings: {} })).toBeNull();
  });
});

it.each([
  ['https://a.example/t/x/y', 'x/y'],
  ['x/%40v/y', 'x/@v/y'],
  ['../x', null],
  ['https://a.example/tx', null],
  ['https://b.example/t/x', null],
  ['x/%2e%2e/y', 'y'],
  ['x/%2e%2e/%2e%2e/y', null],
  ['x%2fy', null],
  ['x/%ff', null],
  ['http://a.example:bad', null],
])('%s lies at %s below a repository', (address, expected) => {
  expect(pathBelow('https://a.example/t/', address)).toBe(expected);
});
