import { objectOf, textOf } from '../../manifest/fields.ts';
import type { Rule } from '../rule.ts';

export const rangeMissing: Rule = {
  id: 'metadata/range-missing',
  severity: 'note',
  what: 'The manifest says which versions of Node.js or Python the package is for',
  why: 'Without it installers put the newest release on interpreters that cannot run it, instead of the last that could',
  fix: 'Add `engines.node`, or `requires-python`',
  example: 'no "engines" in package.json',
  check: ({ manifest, form }) => {
    if (manifest === null) return [];
    const { path, json } = manifest;
    if (form === 'npm-tarball' && textOf(objectOf(json['engines'])['node']) === null)
      return [{ path, message: '`engines.node` does not say which versions of Node.js it runs on' }];
    if ((form === 'wheel' || form === 'sdist') && textOf(json['Requires-Python']) === null)
      return [{ path, message: 'Requires-Python does not say which versions of Python it runs on' }];
    return [];
  },
};
