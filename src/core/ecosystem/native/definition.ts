import type { EcosystemDefinition } from '../definition.ts';
import { pkgConfigRanges } from './ranges.ts';

const pkgConfig = async () => (await import('../../manifest/pkg-config.ts')).pkgConfigFormat;

/** Libraries and programs in C, C++ and other compiled languages, described by pkg-config. */
export const native: EcosystemDefinition = {
  title: 'libraries and programs in C, C++ and other compiled languages',
  manifests: [
    { file: '{package}.pc.in', load: pkgConfig },
    { file: '{package}.pc', load: pkgConfig },
  ],
  scheme: 'semver',
  shownScheme: 'debian',
  ranges: pkgConfigRanges,
  purlType: 'generic',
  usualForms: ['source-archive'],
  client: null,
  versionHeaders: /\.(?:h|hpp|h\.in)$/,
  findPlaces: async () => (await import('../../manifest/version-place/native.ts')).findNativePlaces,
  isPrivate: () => false,
};
