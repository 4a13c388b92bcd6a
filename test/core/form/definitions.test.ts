import { expect, it } from 'vitest';
import { formDefinitions, hasPage, isSbom } from '../../../src/core/form/definitions.ts';
import { type Form, forms } from '../../../src/core/name/form.ts';

const spellings = { python: '2.0.0a1', maven: '2.0.0-alpha-1', nuget: '2.0.0-alpha.1', debian: '2.0.0~alpha.1-1' };

it.each<[Form, string]>([
  ['npm-tarball', '2.0.0-alpha.1'],
  ['wheel', '2.0.0a1'],
  ['sdist', '2.0.0a1'],
  ['jar', '2.0.0-alpha-1'],
  ['sources-jar', '2.0.0-alpha-1'],
  ['pom', '2.0.0-alpha-1'],
  ['nupkg', '2.0.0-alpha.1'],
  ['deb', '2.0.0~alpha.1'],
  ['tar.gz', '2.0.0-alpha.1'],
])('a %s names the version as %s', (form, version) => {
  expect(formDefinitions[form].namedVersion('2.0.0-alpha.1', spellings)).toBe(version);
});

it('names the version as it is when its spelling is not recorded', () => {
  expect(forms.map((form) => formDefinitions[form].namedVersion('1.0.0', {}))).toEqual(forms.map(() => '1.0.0'));
});

it('tells packages, symbols and SBOMs apart', () => {
  expect(forms.filter((form) => isSbom({ form }))).toEqual(['spdx', 'cyclonedx']);
  expect(forms.filter((form) => formDefinitions[form].role === 'symbols')).toEqual(['snupkg']);
  expect(forms.filter(hasPage)).toEqual(['npm-tarball', 'wheel', 'sdist', 'nupkg']);
});

it.each<[Form, string, string | null]>([
  ['wheel', 'Tide_Mark.Py', 'tide-mark-py'],
  ['npm-tarball', '@fen/tidemark', '@fen/tidemark'],
  ['jar', 'example.tidemark', null],
  ['deb', 'libharmonics-dev', null],
])('the manifest of a %s has %s as the name %s', (form, name, inner) => {
  expect(formDefinitions[form].innerName(name)).toBe(inner);
});

it.each<[Form, string, string | null]>([
  ['wheel', 'a-1.0-cp311-cp311-manylinux_2_28_x86_64.manylinux_2_31_x86_64.whl', '2.28'],
  ['wheel', 'a-1.0-cp311-cp311-manylinux2014_x86_64.whl', '2.17'],
  ['wheel', 'a-1.0-py3-none-any.whl', null],
  ['tar.gz', 'a-1.0-manylinux2014_x86_64.tar.gz', null],
])('a %s called %s promises the C library %s', (form, fileName, limit) => {
  expect(formDefinitions[form].cLibraryLimit({ fileName, manifest: null })).toBe(limit);
});

it('a deb promises the C library of its dependencies', () => {
  const manifest = {
    path: 'control',
    json: { Depends: 'libm, libc6 (>= 2.31)' },
    common: { name: null, version: null, description: null, licence: null, dependencies: [] },
  };

  expect(formDefinitions.deb.cLibraryLimit({ fileName: 'a.deb', manifest })).toBe('2.31');
});
