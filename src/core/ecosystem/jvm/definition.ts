import type { EcosystemDefinition } from '../definition.ts';
import { mavenRanges } from './ranges.ts';

/** Libraries for the Java virtual machine, with coordinates of Maven. */
export const jvm: EcosystemDefinition = {
  title: 'libraries for the Java virtual machine, with coordinates of Maven',
  manifests: [{ file: 'pom.xml', load: async () => (await import('../../manifest/pom-xml.ts')).pomFormat }],
  scheme: 'maven',
  shownScheme: 'maven',
  ranges: mavenRanges,
  purlType: 'maven',
  usualForms: ['jar', 'sources-jar', 'pom'],
  client: 'maven',
  versionHeaders: null,
  findPlaces: async () => (await import('../../manifest/version-place/jvm.ts')).findJvmPlaces,
  isPrivate: () => false,
};
