import { anyRange, type EcosystemDefinition } from '../definition.ts';

/** Files that belong to no language's registry, such as tables or fonts. */
export const plain: EcosystemDefinition = {
  title: "files that belong to no language's registry",
  manifests: [],
  scheme: 'semver',
  shownScheme: null,
  ranges: anyRange,
  purlType: 'generic',
  usualTest: 'sh check.sh',
  shortName: (name) => name,
  usualForms: ['source-archive'],
  limits: [],
  propose: null,
  usualDestination: { speaks: 'http-put', path: 'files/' },
  client: null,
  takeBack: null,
  tagsRead: null,
  versionHeaders: null,
  findPlaces: null,
  isPrivate: () => false,
  forbids: () => null,
};
