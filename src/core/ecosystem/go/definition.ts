import { anyRange, type EcosystemDefinition } from '../definition.ts';

/** Modules of Go. */
export const go: EcosystemDefinition = {
  title: 'modules of Go',
  manifests: [],
  scheme: 'semver',
  shownScheme: null,
  ranges: anyRange,
  purlType: 'golang',
  usualForms: ['source-archive'],
  client: null,
  versionHeaders: null,
  findPlaces: null,
  isPrivate: () => false,
};
