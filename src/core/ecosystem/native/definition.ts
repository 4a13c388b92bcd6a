import type { EcosystemDefinition } from '../definition.ts';
import { pkgConfigRanges } from './ranges.ts';

const pkgConfig = async () => (await import('../../manifest/pkg-config.ts')).pkgConfigFormat;

/** Libraries and programs in C, C++ and other compiled languages, described by pkg-config. */
export const native: EcosystemDefinition = {
  title: 'libraries and programs in C, C++ and other compiled languages',
  manifests: [
    { file: '{package}.pc.in', load: pkgConfig },
    { file: '{package}.pc', load: pkgConfig },
    { file: 'meson.build', load: async () => (await import('../../manifest/build-files.ts')).mesonFormat },
    { file: 'CMakeLists.txt', load: async () => (await import('../../manifest/build-files.ts')).cmakeFormat },
    { file: 'configure.ac', load: async () => (await import('../../manifest/build-files.ts')).autoconfFormat },
  ],
  scheme: 'semver',
  shownScheme: 'debian',
  ranges: pkgConfigRanges,
  purlType: 'generic',
  usualTest: 'make check',
  shortName: (name) => name,
  usualForms: ['source-archive'],
  limits: [],
  propose: async () => (await import('./propose.ts')).proposeNative,
  usualDestination: { speaks: 'http-put', path: 'files/' },
  client: null,
  takeBack: null,
  tagsRead: null,
  versionHeaders: /\.(?:h|hpp|h\.in)$/,
  findPlaces: async () => (await import('../../manifest/version-place/native.ts')).findNativePlaces,
  isPrivate: () => false,
  forbids: () => null,
};
