import { compareBytes } from '../../contents/entry.ts';
import { type Candidate, plainMode, type Staged } from '../../contents/select.ts';
import { contentsNeeded } from '../contents-needed.ts';
import type { FormInput, Layout } from '../layout.ts';
import { type PlannedEntry, plannedFile, plannedText } from '../plan.ts';
import { coordinatesOf } from '../pom/pom.ts';
import { formatJarManifest, moduleNameOf } from './jar-manifest.ts';

const classFolders = ['{out}/classes', 'target/classes', 'build/classes'];

/** Classes and resources with a manifest that names module and version (JAR File Specification). */
export const jar: Layout = jarForm({
  ending: '.jar',
  usual: [{ from: classFolders, to: '' }],
  manifestOf: classesManifest,
});

/** The sources, at the places of their packages. */
export const sourcesJar: Layout = jarForm({
  ending: '-sources.jar',
  usual: [
    { from: ['src/main/java'], to: '' },
    { from: ['src/main/resources'], to: '' },
  ],
  manifestOf: plainManifest,
});

/** The documentation that a build step wrote. */
export const documentationJar: Layout = jarForm({
  ending: '-javadoc.jar',
  usual: [{ from: ['{out}/documentation', 'target/site/apidocs'], to: '' }],
  manifestOf: plainManifest,
});

/** A web application (Jakarta Servlet specification, "Directory Structure"): pages, and classes and libraries in WEB-INF. */
export const war: Layout = jarForm({
  ending: '.war',
  usual: [
    { from: ['src/main/webapp', '{out}/webapp'], to: '' },
    { from: classFolders, to: 'WEB-INF/classes/' },
    { from: ['{out}/lib', 'target/lib'], to: 'WEB-INF/lib/' },
  ],
  manifestOf: plainManifest,
});

/** An application of modules (Jakarta EE Platform specification, "Application Assembly and Deployment"). */
export const ear: Layout = jarForm({
  ending: '.ear',
  usual: [
    { from: ['src/main/application'], to: '' },
    { from: ['{out}/modules'], to: '' },
    { from: ['{out}/lib', 'target/lib'], to: 'lib/' },
  ],
  manifestOf: plainManifest,
});

type ManifestMaker = (input: FormInput, staged: readonly Staged[]) => Record<string, string>;

/** Folders of which the first that has files is taken, and where in the archive it goes. */
type UsualFolder = { readonly from: readonly string[]; readonly to: string };

function jarForm({
  ending,
  usual,
  manifestOf,
}: {
  readonly ending: string;
  readonly usual: readonly UsualFolder[];
  readonly manifestOf: ManifestMaker;
}): Layout {
  return {
    select: async ({ files, packageName, artifact }) => {
      const staged = artifact.classifier === null ? usual.flatMap((folder) => filesOf(files, folder)) : [];
      if (staged.length > 0) return staged;
      throw contentsNeeded(
        packageName,
        artifact.form,
        artifact.classifier === null ? usual.flatMap(({ from }) => from) : [],
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
      const { classifier } = input.artifact;
      const fileName = `${artifact}-${version}${classifier === null ? '' : `-${classifier}`}${ending}`;
      return { fileName, container: 'zip', entries, comment: null, metadata: '' };
    },
  };
}

function filesOf(files: readonly Candidate[], { from, to }: UsualFolder): Staged[] {
  const folder = from.find((folder) => files.some(({ path }) => path.startsWith(`${folder}/`)));
  return files
    .filter(({ path }) => folder !== undefined && path.startsWith(`${folder}/`))
    .map((source) => ({
      source,
      path: to + source.path.slice((folder ?? '').length + 1),
      mode: plainMode(source),
    }));
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
