import { inside } from '../../manifest/version-place/place.ts';
import { formsOnly, type Proposal, type ProposalSearch, type Propose } from '../proposal.ts';

/** Classes come from Maven or Gradle; a parent POM is published as it is. */
export const proposeJvm: Propose = async (search) => {
  if (!search.manifest.endsWith('pom.xml')) return gradle(search);
  const packaging = /<packaging>\s*([\w-]+)\s*<\/packaging>/.exec(search.manifestText)?.[1] ?? 'jar';
  if (packaging === 'pom') return formsOnly(['pom']);
  if (packaging !== 'jar')
    return formsOnly(
      ['pom'],
      [
        `packaging ${packaging} is not supported: only the POM is released; bring the file with \`brought\` and a build step`,
      ],
    );
  const wrapper = search.files.has('mvnw') ? 'sh ./mvnw' : 'mvn';
  const module = search.folder === '' ? '' : `(cd ${'../'.repeat(search.folder.split('/').length).slice(0, -1)} && `;
  const isModule = search.folder !== '' && search.files.has('pom.xml');
  const run = isModule
    ? `${module}${wrapper} -B -q -pl ${search.folder} -am -DskipTests package)`
    : `${wrapper} -B -q -DskipTests package`;
  return {
    tools: wrapper === 'mvn' ? ['mvn', 'javac'] : ['javac'],
    build: [{ run, why: 'compiles to target/classes; gates run the tests' }],
    platforms: [],
    artifacts: ['form: jar', 'form: sources-jar', 'form: pom'],
    notes: [],
  };
};

async function gradle(search: ProposalSearch): Promise<Proposal> {
  const text = search.manifestText;
  const group =
    /^[ \t]*(?:project\.)?group[ \t]*=?[ \t]*["']([^"'$\n]+)["']/m.exec(text)?.[1] ?? (await propertyGroup(search));
  // Without a daemon: it would outlive the build, in a folder that is then removed.
  const assemble = '--no-daemon -q assemble';
  const wrapper = search.files.has('gradlew') ? 'sh ./gradlew' : 'gradle';
  const up = search.folder === '' ? '' : '../'.repeat(search.folder.split('/').length);
  const run = search.files.has('gradlew') && up !== '' ? `sh ${up}gradlew ${assemble}` : `${wrapper} ${assemble}`;
  const coordinates = `coordinates: { groupId: ${group ?? 'GROUP'}, artifactId: ${search.name} }`;
  const classes = '{ from: build/classes/java/main, to: "." }';
  const resources = [...search.files].some((file) => file.startsWith(inside(search.folder, 'src/main/resources/')))
    ? ', { from: build/resources/main, to: "." }'
    : '';
  return {
    tools: wrapper === 'gradle' ? ['gradle', 'javac'] : ['javac'],
    build: [{ run, why: 'compiles to build/classes' }],
    platforms: [],
    artifacts: [
      `{ form: jar, ${coordinates}, files: [${classes}${resources}] }`,
      `{ form: sources-jar, ${coordinates} }`,
      `{ form: pom, ${coordinates} }`,
    ],
    notes: [
      'the POM is generated without dependencies: Gradle keeps them in its own language; bring one from `generatePomFileForMavenPublication` if there are any',
      ...(group === null ? ['no group was found: replace GROUP'] : []),
    ],
  };
}

async function propertyGroup({ folder, read }: ProposalSearch): Promise<string | null> {
  const text = (await read(inside(folder, 'gradle.properties'))) ?? (await read('gradle.properties')) ?? '';
  return /^[ \t]*group[ \t]*[=:][ \t]*(\S+)/m.exec(text)?.[1] ?? null;
}
