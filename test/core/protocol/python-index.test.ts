import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  formatProjectHtml,
  formatProjectJson,
  formatProjectList,
  type IndexFile,
  parseProject,
  uploadFields,
} from '../../../src/core/protocol/python-index/python-index.ts';

const digest = 'a'.repeat(64);

function file(more: Partial<IndexFile> = {}): IndexFile {
  return {
    filename: 'tidemark_py-1.3.1-py3-none-any.whl',
    url: 'https://packages.fenmarsh.example/files/tidemark_py-1.3.1-py3-none-any.whl',
    sha256: digest,
    requiresPython: '>=3.9',
    yanked: false,
    sizeBytes: 4711,
    uploadTime: '2026-11-23T08:00:00.000000Z',
    ...more,
  };
}

describe('an index page', () => {
  // Written by hand from the examples of PEP 503, PEP 592 and PEP 691.
  it.each<[string, string, string, Partial<IndexFile>]>([
    [
      'an anchor with its digest as fragment, relative to the page',
      'text/html',
      `<!DOCTYPE html><html><body><a href="../../files/t-1.0.tar.gz#sha256=${digest}">t-1.0.tar.gz</a></body></html>`,
      {
        filename: 't-1.0.tar.gz',
        url: 'https://packages.fenmarsh.example/files/t-1.0.tar.gz',
        sha256: digest,
        yanked: false,
      },
    ],
    [
      'single quotes, capitals and entities',
      'text/html; charset=utf-8',
      `<html><A HREF='t-1.0.tar.gz' data-requires-python='&gt;=3.9,&lt;4'>t-1.0.tar.gz</A></html>`,
      { requiresPython: '>=3.9,<4', sha256: null, yanked: false },
    ],
    [
      'a yanked file with its reason',
      'text/html',
      `<a href="t.whl" data-yanked="low water an hour late">t.whl</a>`,
      { yanked: 'low water an hour late' },
    ],
    ['a yanked file without one', 'text/html', `<a href="t.whl" data-yanked>t.whl</a>`, { yanked: '' }],
    [
      'JSON with sizes and times',
      'application/vnd.pypi.simple.v1+json',
      JSON.stringify({
        meta: { 'api-version': '1.1' },
        name: 't',
        versions: ['1.0'],
        files: [
          {
            filename: 't-1.0.tar.gz',
            url: '/files/t-1.0.tar.gz',
            hashes: { sha256: digest },
            size: 12,
            'upload-time': '2026-01-01T00:00:00Z',
            yanked: true,
          },
        ],
      }),
      { url: 'https://packages.fenmarsh.example/files/t-1.0.tar.gz', sizeBytes: 12, yanked: '', sha256: digest },
    ],
  ])('is read: %s', (_, type, text, expected) => {
    const project = parseProject(text, type, 'https://packages.fenmarsh.example/simple/t/');

    expect(project?.files).toHaveLength(1);
    expect(project?.files[0]).toMatchObject(expected);
  });

  it.each([
    ['application/json', '{"versions": {}}'],
    ['application/json', 'not json'],
    ['text/html', 'plain words'],
  ])('that is none is told from one: %s %s', (type, text) => {
    expect(parseProject(text, type, 'https://packages.fenmarsh.example/')).toBeNull();
  });

  it('written in either format reads back the same, whatever names and reasons hold', () => {
    const name = fc.stringMatching(/^[a-z0-9][a-z0-9_.]{0,20}$/);
    const reason = fc.oneof(
      fc.constant(false as const),
      fc.string({ maxLength: 40 }).map((text) => text.replace(/[\r\n]/g, ' ')),
    );
    fc.assert(
      fc.property(fc.array(fc.record({ name, reason }), { maxLength: 5 }), (rows) => {
        const files = rows.map((row, at) => file({ filename: `${row.name}-${at}.whl`, yanked: row.reason }));
        const index = { name: 'tidemark-py', versions: ['1.3.1'], files };
        const html = parseProject(formatProjectHtml(index), 'text/html', 'https://x.example/');
        const json = parseProject(formatProjectJson(index), 'application/json', 'https://x.example/');
        expect(html?.files.map(({ filename, yanked, sha256 }) => [filename, yanked, sha256])).toEqual(
          files.map(({ filename, yanked, sha256 }) => [filename, yanked, sha256]),
        );
        expect(json?.files).toEqual(files);
      }),
    );
  });

  it('lists projects under their normalised names', () => {
    const { html, json } = formatProjectList(['Fenmarsh_Tides', 'tidemark-py']);

    expect(html).toContain('<a href="fenmarsh-tides/">Fenmarsh_Tides</a>');
    expect(JSON.parse(json).projects).toEqual([{ name: 'Fenmarsh_Tides' }, { name: 'tidemark-py' }]);
  });
});

describe('an upload form', () => {
  const fields = {
    'Metadata-Version': ['2.4'],
    Name: ['tidemark-py'],
    Version: ['1.3.1'],
    Summary: 'Tides',
    Classifier: ['Programming Language :: Python :: 3', 'Topic :: Scientific/Engineering'],
    'Project-URL': ['Home, https://tides.fenmarsh.example'],
    'Requires-Dist': ['numpy>=1', 'rich'],
  };

  it.each([
    ['tidemark_py-1.3.1-py3-none-any.whl', 'bdist_wheel', 'py3'],
    ['tidemark_py-1.3.1-1-cp312-cp312-linux_x86_64.whl', 'bdist_wheel', 'cp312'],
    ['tidemark_py-1.3.1.tar.gz', 'sdist', 'source'],
  ])('of %s says %s and %s, with every field of the metadata', (fileName, filetype, pyversion) => {
    const form = uploadFields({ fields, description: 'About tides', fileName, sha256: digest });

    const all = (name: string) => form.filter(([value]) => value === name).map(([, value]) => value);
    expect(all(':action')).toEqual(['file_upload']);
    expect(all('protocol_version')).toEqual(['1']);
    expect([all('filetype'), all('pyversion')]).toEqual([[filetype], [pyversion]]);
    expect(all('metadata_version')).toEqual(['2.4']);
    expect(all('classifiers')).toHaveLength(2);
    expect(all('project_urls')).toEqual(['Home, https://tides.fenmarsh.example']);
    expect(all('requires_dist')).toEqual(['numpy>=1', 'rich']);
    expect(all('description')).toEqual(['About tides']);
    expect([all('sha256_digest'), all('md5_digest')]).toEqual([[digest], []]);
  });
});
