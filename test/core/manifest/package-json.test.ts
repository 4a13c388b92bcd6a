import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { editPackageJson, parsePackageJson, readPackageJson } from '../../../src/core/manifest/package-json.ts';

describe('editing a package.json', () => {
  it.each([
    ['{\n\t"name": "a",\n\t"version": "1.0.0"\n}\n', '{\n\t"name": "a",\n\t"version": "2.0.0"\n}\n'],
    ['{"version":"1.0.0","x":{"version":"9"}}', '{"version":"2.0.0","x":{"version":"9"}}'],
    ['{"x":{"version":"9"},"version":"1.0.0"}', '{"x":{"version":"9"},"version":"2.0.0"}'],
    [
      '{"y":["version",{"version":"8"}],\r\n "version" : "1.0.0" }\r\n',
      '{"y":["version",{"version":"8"}],\r\n "version" : "2.0.0" }\r\n',
    ],
    ['{\r\n  "name": "a"\r\n}\r\n', '{\r\n  "name": "a",\r\n  "version": "2.0.0"\r\n}\r\n'],
    ['{ "private": true }', '{ "version": "2.0.0", "private": true }'],
    ['{}', '{"version": "2.0.0"}'],
    ['\ufeff{"a\\"version":"x","version":"1"}', '\ufeff{"a\\"version":"x","version":"2.0.0"}'],
  ])('%j becomes %j', (text, edited) => {
    const result = editPackageJson(text, [{ path: ['version'], value: '2.0.0' }], 'package.json');

    expect(parsePackageJson(result, 'f')['version']).toBe('2.0.0');
    expect(result.replace(/\{ ?(?="version": "2.0.0", )/, '{ ')).toBe(edited);
  });

  it('changes the one value and nothing else, in any document', () => {
    const value = fc.jsonValue({ maxDepth: 3 });
    fc.assert(
      fc.property(fc.dictionary(fc.string(), value), fc.nat(4), (fields, indent) => {
        const before = { ...fields, dependencies: { tidemark: '^1.0.0', other: '1' }, version: '1.0.0' };
        const text = JSON.stringify(before, null, indent);
        const edits = [
          { path: ['version'], value: '2.0.0' },
          { path: ['dependencies', 'tidemark'], value: '^2.0.0' },
        ];
        const after = JSON.stringify(
          { ...before, version: '2.0.0', dependencies: { tidemark: '^2.0.0', other: '1' } },
          null,
          indent,
        );
        expect(editPackageJson(text, edits, 'package.json')).toBe(after);
      }),
    );
  });

  it.each(['', '[]', 'null', '{"a":}', '"x"'])('refuses %j', (text) => {
    expect(() => parsePackageJson(text, 'packages/a/package.json')).toThrow(
      expect.objectContaining({ code: 'MANIFEST_INVALID', where: { file: 'packages/a/package.json' } }),
    );
  });
});

it('reads dependencies with their kind, and passes over fields of a wrong type', () => {
  const manifest = readPackageJson({
    name: 'a',
    version: 7,
    license: ' ',
    dependencies: { x: '1', y: 2 },
    peerDependencies: { z: '3' },
    devDependencies: [],
  });

  expect(manifest).toEqual({
    name: 'a',
    version: null,
    description: null,
    licence: null,
    dependencies: [
      { name: 'x', range: '1', kind: 'run' },
      { name: 'z', range: '3', kind: 'peer' },
    ],
  });
});
