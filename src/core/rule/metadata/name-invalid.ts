import { allForms } from '../forms.ts';
import type { Rule } from '../rule.ts';

type Grammar = { readonly pattern: RegExp; readonly most: number; readonly says: string };

const npm: Grammar = {
  pattern: /^(?:@[a-z0-9~-][a-z0-9._~-]*\/)?[a-z0-9~-][a-z0-9._~-]*$/,
  most: 214,
  says: 'lower case letters, digits, dots, hyphens and underscores, with an optional @scope/ (package.json documentation, "name")',
};
const python: Grammar = {
  pattern: /^[A-Z0-9]([A-Z0-9._-]*[A-Z0-9])?$/i,
  most: 128,
  says: 'letters, digits, dots, hyphens and underscores (PEP 508)',
};
const grammars: Readonly<Record<string, Grammar>> = {
  'npm-tarball': npm,
  wheel: python,
  sdist: python,
  nupkg: { pattern: /^\w+(?:[.-]\w+)*$/, most: 100, says: 'words joined by dots and hyphens, 100 characters at most' },
  deb: {
    pattern: /^[a-z0-9][a-z0-9+.-]+$/,
    most: 128,
    says: 'lower case letters, digits, plus, minus and dots (Debian Policy §5.6.1)',
  },
  pom: {
    pattern: /^[\w.-]+:[\w.-]+$/,
    most: 200,
    says: 'GROUP:ARTIFACT of letters, digits, dots, hyphens and underscores',
  },
};

export const nameInvalid: Rule = {
  id: 'metadata/name-invalid',
  forms: allForms,
  severity: 'refuse',
  what: 'The package has a name that its ecosystem allows',
  why: 'A registry rejects other names, or normalises them',
  fix: 'Choose a name that follows the rules of the ecosystem',
  example: '"name": "Tide Mark"',
  check: ({ form, manifest }) => {
    const grammar = grammars[form];
    if (grammar === undefined || manifest === null) return [];
    const { name } = manifest.common;
    if (name === null) return [{ path: manifest.path, message: 'it has no package name' }];
    if (grammar.pattern.test(name) && name.length <= grammar.most) return [];
    return [{ path: manifest.path, message: `invalid name "${name}": ${grammar.says}` }];
  },
};
