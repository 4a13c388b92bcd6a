import type { Artifact } from '../artifact.ts';
import type { FormDefinition } from '../definition.ts';
import { plainEntries, plainTraits } from '../traits.ts';

const common = {
  ...plainTraits,
  container: 'zip',
  role: 'package',
  platforms: 'one-with-all',
  entries: { ...plainEntries, links: 'dropped', modes: 'none' },
  namedVersion: (version, spellings) => spellings.maven ?? version,
  // A jar's manifest names a module, not the artifact.
  innerName: () => null,
  ecosystem: 'jvm',
  reasonLeftOut: () => 'it is not in a folder that this kind of jar takes',
} as const satisfies Partial<FormDefinition>;

/** Classes and resources for the Java virtual machine. */
export const jar: FormDefinition = {
  ...common,
  title: 'classes and resources for the Java virtual machine',
  naming: { ending: /(?<!-(?:sources|javadoc))\.jar$/i, parts: [] },
  layout: async () => (await import('./jar.ts')).jar,
  innerVersions: ({ texts }) => propertiesVersion(texts),
  surface: async () => (await import('../../surface/jvm/reader.ts')).jvmSurfaceReader,
};

/** The sources that belong to a jar. */
export const sourcesJar: FormDefinition = {
  ...common,
  title: 'the sources that belong to a jar',
  naming: { ending: /-sources\.jar$/i, parts: [] },
  layout: async () => (await import('./jar.ts')).sourcesJar,
};

/** The documentation that belongs to a jar. */
export const documentationJar: FormDefinition = {
  ...common,
  title: 'the documentation that belongs to a jar',
  naming: { ending: /-javadoc\.jar$/i, parts: [] },
  layout: async () => (await import('./jar.ts')).documentationJar,
};

/** A web application for a server of servlets. */
export const war: FormDefinition = {
  ...common,
  title: 'web application for a server of servlets',
  naming: { ending: /\.war$/i, parts: [{ name: 'WEB-INF', path: /^WEB-INF\// }] },
  layout: async () => (await import('./jar.ts')).war,
  reasonLeftOut: () => 'it is not in a folder that a web application takes',
};

/** An application of several modules. */
export const ear: FormDefinition = {
  ...common,
  title: 'enterprise application of several modules',
  naming: { ending: /\.ear$/i, parts: [] },
  layout: async () => (await import('./jar.ts')).ear,
  reasonLeftOut: () => 'it is not in a folder that an enterprise application takes',
};

/** The version in `pom.properties`; a jar that holds others holds their properties too, and then it is not clear whose they are. */
function propertiesVersion(texts: Artifact['texts']): { path: string; version: string }[] {
  const all = [...texts.keys()].filter((path) => /^META-INF\/maven\/.*\/pom\.properties$/.test(path));
  const [path = ''] = all;
  if (all.length !== 1 || !/^META-INF\/maven\/[^/]+\/[^/]+\/pom\.properties$/.test(path)) return [];
  const version = /^version=(.+)$/m.exec(texts.get(path) ?? '')?.[1]?.trim();
  return version === undefined ? [] : [{ path, version }];
}
