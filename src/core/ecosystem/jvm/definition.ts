import type { EcosystemDefinition } from '../definition.ts';
import { mavenRanges } from './ranges.ts';

const loadGradle = async () => (await import('../../manifest/build-files.ts')).gradleFormat;

/** A Gradle project is named in the settings beside its build script (Gradle user manual, "Structuring Projects"). */
const namedBy = {
  files: ['settings.gradle.kts', 'settings.gradle'],
  read: (text: string) => /^[ \t]*rootProject\.name[ \t]*=[ \t]*["']([^"'$\n]+)["']/m.exec(text)?.[1] ?? null,
};

/** Libraries for the Java virtual machine, with coordinates of Maven. */
export const jvm: EcosystemDefinition = {
  title: 'libraries for the Java virtual machine, with coordinates of Maven',
  manifests: [
    { file: 'pom.xml', load: async () => (await import('../../manifest/pom-xml.ts')).pomFormat },
    { file: 'build.gradle.kts', load: loadGradle, namedBy },
    { file: 'build.gradle', load: loadGradle, namedBy },
  ],
  scheme: 'maven',
  shownScheme: 'maven',
  ranges: mavenRanges,
  purlType: 'maven',
  usualTest: 'mvn -B test',
  shortName: (name) => name.split(':').at(-1) ?? name,
  usualForms: ['jar', 'sources-jar', 'pom'],
  limits: [],
  propose: async () => (await import('./propose.ts')).proposeJvm,
  usualDestination: { speaks: 'maven-layout', path: 'maven/' },
  client: 'maven',
  takeBack: null,
  tagsRead: null,
  versionHeaders: null,
  findPlaces: async () => (await import('../../manifest/version-place/jvm.ts')).findJvmPlaces,
  // A build script that applies no plugin of a language only holds others together.
  isPrivate: (text) => !text.includes('<project') && !/\b(?:java|kotlin|groovy|scala)\b|`java/.test(text),
  forbids: () => null,
};
