import { anyRange, type EcosystemDefinition } from '../definition.ts';

/** Modules of Go. */
export const go: EcosystemDefinition = {
  title: 'modules of Go',
  manifests: [{ file: 'go.mod', load: async () => (await import('../../manifest/build-files.ts')).goModFormat }],
  scheme: 'semver',
  shownScheme: null,
  ranges: anyRange,
  purlType: 'golang',
  usualTest: 'go test ./...',
  shortName: (name) =>
    name
      .replace(/\/v\d+$/, '')
      .split('/')
      .at(-1) ?? name,
  usualForms: ['source-archive'],
  limits: [
    'a module proxy cannot be filled yet: versions, changelog, tag and a source archive work; Go itself reads the tag',
  ],
  propose: null,
  usualDestination: { speaks: 'http-put', path: 'files/' },
  client: null,
  versionHeaders: null,
  findPlaces: null,
  isPrivate: () => false,
  forbids: () => null,
};
