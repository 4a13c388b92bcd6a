import type { Describe } from '../definition.ts';
import type { RawArtifact } from '../description.ts';
import { parseJarManifest } from './jar-manifest.ts';

/** A jar: a zip archive with a manifest in META-INF (JAR File Specification). */
export function describeJar({ container, fileName, texts, binaries }: RawArtifact): ReturnType<Describe> {
  const path = 'META-INF/MANIFEST.MF';
  const text = texts.get(path);
  if (container !== 'zip' || text === undefined) return null;
  const attributes = parseJarManifest(text);
  const kind = /-(sources|javadoc)\.jar$/.exec(fileName)?.[1];
  const form = kind === undefined ? 'jar' : kind === 'sources' ? 'sources-jar' : 'documentation-jar';
  const majors = [...binaries.values()].flatMap((binary) => (binary.type === 'classes' ? [binary.major] : []));
  const highest = majors.reduce((most, major) => Math.max(most, major), 0);
  const commit = /^[0-9a-f]{40,64}$/.exec(attributes['Source-Commit'] ?? '')?.[0] ?? null;
  return {
    form,
    manifest: {
      path,
      json: attributes,
      common: {
        name: attributes['Automatic-Module-Name'] ?? attributes['Implementation-Title'] ?? null,
        version: attributes['Implementation-Version'] ?? null,
        description: null,
        licence: null,
        dependencies: [],
      },
    },
    // JVMS §4.1: class files 45 plus n run on Java n plus 1.
    targets:
      highest === 0
        ? []
        : [`Java ${highest - 44} and newer, ${majors.length} ${majors.length === 1 ? 'class' : 'classes'}`],
    commit,
  };
}
