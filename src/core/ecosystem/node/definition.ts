import { parsePackageJson } from '../../manifest/package-json.ts';
import type { EcosystemDefinition } from '../definition.ts';
import { isWorkspaceRange, nodeRangeTakes, raiseNodeRange } from './ranges.ts';

/** Packages for Node.js and browsers. */
export const node: EcosystemDefinition = {
  title: 'JavaScript and TypeScript packages, for Node.js or a browser',
  manifests: [
    { file: 'package.json', load: async () => (await import('../../manifest/package-json.ts')).packageJsonFormat },
  ],
  scheme: 'semver',
  shownScheme: null,
  ranges: { takes: nodeRangeTakes, raise: raiseNodeRange, isWorkspaceRange },
  purlType: 'npm',
  usualTest: 'npm ci, npm test',
  shortName: (name) => name.replace(/^@[^/]+\//, ''),
  usualForms: ['npm-tarball'],
  limits: [],
  propose: async () => (await import('./propose.ts')).proposeNode,
  usualDestination: { speaks: 'npm-registry', path: 'node/' },
  client: 'npm',
  takeBack: null,
  tagsRead: null,
  versionHeaders: null,
  findPlaces: null,
  isPrivate: (text) => parsePackageJson(text, 'package.json')['private'] === true,
  forbids: (text) => (parsePackageJson(text, 'package.json')['private'] === true ? '`private` is true' : null),
};
