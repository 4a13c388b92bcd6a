import { withRetract } from '../../manifest/go-mod.ts';
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
  usualForms: ['go-module'],
  limits: [],
  propose: null,
  usualDestination: { speaks: 'go-proxy', path: 'go/' },
  client: 'go',
  takeBack: withRetract,
  // "Mapping versions to commits": below the root the folder comes first, without the suffix of a major version.
  tagsRead: (folder) => {
    const above = folder.replace(/(?:^|\/)v(?:[2-9]|[1-9]\d+)$/, '');
    return above === '' ? 'v{version}' : `${above}/v{version}`;
  },
  versionHeaders: null,
  findPlaces: null,
  isPrivate: () => false,
  forbids: () => null,
};
