import { compareBytes } from '../../contents/entry.ts';
import { plainMode, type Staged } from '../../contents/select.ts';
import { contentsNeeded } from '../contents-needed.ts';
import type { FormInput, Layout } from '../layout.ts';
import { type PlannedEntry, plannedFile, plannedText } from '../plan.ts';
import { coordinatesOf } from '../pom/pom.ts';
import { formatJarManifest, moduleNameOf } from './jar-manifest.ts';

/** Classes and resources with a manifest that names module and version (JAR File Specification). */
export const jar: Layout = jarForm('', ['{out}/classes', 'target/classes', 'build/classes'], classesManifest);

/** The sources, at the places of their packages. */
export const sourcesJar: Layout = jarForm('-sources', ['src/main/java', 'src/main/resources'], plainManifest);

/** The documentation that a build step wrote. */
export const documentationJar: Layout = jarForm(
  '-javadoc',
  ['{out}/documentation', 'target/site/apidocs'],
  plainManifest,
);

type ManifestMaker = (input: FormInput, staged: readonly Staged[]) => Record<string, string>;

function jarForm(classifier: string, usual: readonly string[], manifestOf: ManifestMaker): Layout {
  return {
    select: async ({ files, packageName, artifact }) => {
      // Sources and resources lie beside each other; of the folders with classes one is the right one.
      const there = usual.filter((folder) => files.some(({ path }) => path.startsWith(`${folder}/`)));
      const folders = classifier === '-sources' ? there : there.slice(0, 1);
      if (folders.length === 0) throw contentsNeeded(packageName, artifact.form, usual);
      return folders.flatMap((folder) =>
        files
          .filter(({ path }) => path.startsWith(`${folder}/`))
          .map((source): Staged => ({ source, path: source.path.slice(folder.length + 1), mode: plainMode(source) })),
      );
    },
    plan: async (input, staged) => {
      const { artifact, version } = coordinatesOf(input);
      const manifest = formatJarManifest({
        'Manifest-Version': '1.0',
        'Created-By': `bevelstone ${input.programVersion}`,
        ...manifestOf(input, staged),
        'Source-Commit': input.commit,
        ...input.artifact.attributes,
      });
      const licences = licenceEntries(input, staged);
      const rest = [
        ...staged.filter(({ path }) => path !== 'META-INF/MANIFEST.MF').map((staged) => plannedFile(staged)),
        ...licences,
      ];
      // Readers that stream look for the manifest in the first entries only.
      const entries = [
        plannedText('META-INF/MANIFEST.MF', manifest),
        ...rest.sort((a, b) => compareBytes(a.path, b.path)),
      ];
      const fileName = `${artifact}-${version}${classifier}.jar`;
      return { fileName, container: 'zip', entries, comment: null, metadata: '' };
    },
  };
}

function classesManifest(input: FormInput, staged: readonly Staged[]): Record<string, string> {
  const { group, artifact } = coordinatesOf(input);
  const isModule = staged.some(({ path }) => /^(?:META-INF\/versions\/\d+\/)?module-info\.class$/.test(path));
  const isMultiRelease = staged.some(({ path }) => path.startsWith('META-INF/versions/'));
  return {
    ...(isModule ? {} : { 'Automatic-Module-Name': moduleNameOf(group, artifact) }),
    ...(isMultiRelease ? { 'Multi-Release': 'true' } : {}),
    ...plainManifest(input),
  };
}

function plainManifest(input: FormInput): Record<string, string> {
  const { artifact, version } = coordinatesOf(input);
  return {
    'Implementation-Title': input.manifest?.description ?? artifact,
    'Implementation-Version': version,
    ...(input.supplier === null ? {} : { 'Implementation-Vendor': input.supplier }),
  };
}

/** The package's licence goes along unless the rules put one there. */
function licenceEntries({ files }: FormInput, staged: readonly Staged[]): PlannedEntry[] {
  const taken = new Set(staged.map(({ path }) => path));
  return files
    .filter(({ path }) => /^(?:LICEN[CS]E|NOTICE)[^/]*$/i.test(path) && !taken.has(`META-INF/${path}`))
    .map((source) => plannedFile({ source, path: `META-INF/${source.path}`, mode: 0o644 }));
}
