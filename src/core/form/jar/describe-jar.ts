import type { Form } from '../../name/form.ts';
import type { Describe } from '../definition.ts';
import type { RawArtifact } from '../description.ts';
import { parseJarManifest } from './jar-manifest.ts';

/** What only the name tells. */
const kinds: readonly (readonly [RegExp, Form])[] = [
  [/-sources\.jar$/i, 'sources-jar'],
  [/-javadoc\.jar$/i, 'documentation-jar'],
  [/\.war$/i, 'war'],
  [/\.ear$/i, 'ear'],
];

/** A jar: a zip archive with a manifest in META-INF (JAR File Specification). */
export function describeJar({ container, fileName, texts, binaries }: RawArtifact): ReturnType<Describe> {
  const path = 'META-INF/MANIFEST.MF';
  const text = texts.get(path);
  if (container !== 'zip' || text === undefined) return null;
  const attributes = parseJarManifest(text);
  const form = kinds.find(([ending]) => ending.test(fileName))?.[1] ?? 'jar';
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
