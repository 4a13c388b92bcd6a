import type { Rule } from '../rule.ts';

export const privatePackage: Rule = {
  id: 'node/private',
  forms: ['npm-tarball'],
  severity: 'refuse',
  what: 'The manifest does not say that the package is private',
  why: '`private: true` prevents that the package is published by mistake',
  fix: 'Remove `private` from package.json if this is meant to be published, or take it out of `packages`',
  example: '"private": true',
  check: ({ manifest }) =>
    manifest !== null && manifest.json['private'] === true
      ? [{ path: manifest.path, message: '`private` is true, so the package is not meant to be published' }]
      : [],
};
