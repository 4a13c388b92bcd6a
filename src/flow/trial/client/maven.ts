import path from 'node:path';
import { mavenLayout } from '../../../core/protocol/maven-layout/definition.ts';
import { coordinatesOf, filePath, isSnapshot, kindOf } from '../../../core/protocol/maven-layout/maven-layout.ts';
import { escapeHtml } from '../../../core/text/html.ts';
import { runCommand } from '../../../world/command.ts';
import { isMissing, namesBelow, writeWhole } from '../../../world/files.ts';
import type { Client, InstalledTree, Wanted } from './client.ts';
import { findVersion, lastLines } from './find-version.ts';

/**
 * Maven's own resolver. A project that names the releases as core extensions makes Maven fetch them, with all they depend
 * on, before anything else happens, and so needs no plugin from anywhere ("Using Maven Extensions", Core Extension). A
 * release without a jar, such as a parent POM, is imported ("Introduction to the Dependency Mechanism", Importing Dependencies).
 */
export const mavenClient: Client = {
  name: 'maven',
  installsByName: true,
  usualSeconds: 5,
  takesSecondPlace: true,
  find: async (version, env, signal) => {
    const java = await findVersion({ names: ['java'], version, env, signal });
    const maven = java === null ? null : await findVersion({ names: ['mvn'], version: null, env, signal });
    return maven === null ? null : { version: `${maven.version} on Java ${java?.version}`, program: maven };
  },
  install: async (_tool, { folder, home, env, signal }, wanted) => {
    const repository = path.join(home, 'repository');
    await writeWhole(path.join(folder, 'pom.xml'), projectText(wanted.filter((one) => !hasJar(one))));
    await writeWhole(path.join(folder, '.mvn', 'extensions.xml'), extensionsText(wanted.filter(hasJar)));
    const settings = path.join(home, 'settings.xml');
    await writeWhole(settings, settingsText(wanted), 0o600);
    const args = ['-B', '-q', '-Dstyle.color=never', '-s', settings, `-Dmaven.repo.local=${repository}`, 'validate'];
    // Without colours: what it says may end in an error message.
    const end = await runCommand({ program: 'mvn', args, folder, env: { ...env, ...secretsOf(wanted) }, signal });
    if (end.type === 'missing' || end.exitCode !== 0)
      return { type: 'failed', why: end.type === 'missing' ? 'mvn is gone' : lastLines(end.all) };
    const jars = (await filesBelow(repository)).filter((file) => file.endsWith('.jar'));
    return { type: 'installed', env: { CLASSPATH: jars.join(path.delimiter) }, trees: treesOf(wanted, repository) };
  },
};

function hasJar({ offer: { release, delivered } }: Wanted): boolean {
  const found = coordinatesOf(release.about.name, release.about.spellings.maven ?? release.version);
  return delivered.some(({ record }) => {
    const kind = found === null ? null : kindOf({ ...record, fileName: record.file }, found);
    return kind?.classifier === '' && kind.extension === 'jar';
  });
}

function projectText(imported: readonly Wanted[]): string {
  const dependencies = imported.map(
    (one) => `<dependency>${coordinatesText(one)}<type>pom</type><scope>import</scope></dependency>`,
  );
  return `<project xmlns="http://maven.apache.org/POM/4.0.0"><modelVersion>4.0.0</modelVersion>
<groupId>visitor</groupId><artifactId>visitor</artifactId><version>1</version><packaging>pom</packaging>
<dependencyManagement><dependencies>${dependencies.join('')}</dependencies></dependencyManagement></project>
`;
}

function extensionsText(wanted: readonly Wanted[]): string {
  return `<extensions>${wanted.map((one) => `<extension>${coordinatesText(one)}</extension>`).join('')}</extensions>\n`;
}

/** Elements that name a release; none for a name that has no coordinates, which was never delivered. */
function coordinatesText({ offer: { release } }: Wanted): string {
  const found = coordinatesOf(release.about.name, release.about.spellings.maven ?? release.version);
  if (found === null) return '';
  const { groupId, artifactId, version } = found;
  return `<groupId>${groupId}</groupId><artifactId>${artifactId}</artifactId><version>${version}</version>`;
}

/** Everything comes from this one repository, and from the one named beside it; files that do not match their digests are refused. */
function settingsText(wanted: readonly Wanted[]): string {
  const url = escapeHtml(wanted[0]?.offer.url ?? '');
  const policy = (isOn: boolean) => `<enabled>${String(isOn)}</enabled><checksumPolicy>fail</checksumPolicy>`;
  const hasSnapshots = wanted.some(({ offer: { release } }) => isSnapshot(release.about.spellings.maven ?? ''));
  const upstream = wanted[0]?.upstream ?? null;
  const beside =
    upstream === null ? '' : `<id>upstream</id><url>${escapeHtml(upstream)}</url><releases>${policy(true)}</releases>`;
  const repository = `<id>office</id><url>${url}</url><releases>${policy(true)}</releases><snapshots>${policy(hasSnapshots)}</snapshots>`;
  return `<settings>
<mirrors><mirror><id>office</id><mirrorOf>*,!upstream</mirrorOf><url>${url}</url></mirror></mirrors>
<servers><server><id>office</id><username>\${env.VISITOR_USER}</username><password>\${env.VISITOR_PASSWORD}</password></server></servers>
<profiles><profile><id>office</id><repositories><repository>${repository}</repository>${beside === '' ? '' : `<repository>${beside}</repository>`}</repositories>
<pluginRepositories><pluginRepository>${repository}</pluginRepository>${beside === '' ? '' : `<pluginRepository>${beside}</pluginRepository>`}</pluginRepositories></profile></profiles>
<activeProfiles><activeProfile>office</activeProfile></activeProfiles>
</settings>
`;
}

function secretsOf([first]: readonly Wanted[]): Record<string, string> {
  const credential = first?.credential;
  if (credential?.type === 'basic') return { VISITOR_USER: credential.user, VISITOR_PASSWORD: credential.password };
  if (credential?.type === 'token') return { VISITOR_USER: 'token', VISITOR_PASSWORD: credential.secret };
  return { VISITOR_USER: '', VISITOR_PASSWORD: '' };
}

/** Of a release the jar and the POM are what a consumer gets. */
function treesOf(wanted: readonly Wanted[], repository: string): InstalledTree[] {
  return wanted.flatMap(({ offer: { release, delivered } }) => {
    const found = coordinatesOf(release.about.name, release.about.spellings.maven ?? release.version);
    if (found === null || isSnapshot(found.version)) return [];
    return (
      delivered
        .filter(({ record }) => mavenLayout.compared?.includes(record.form))
        // What lies beside the main file is fetched only where a project asks for it.
        .filter(({ record }) => kindOf({ ...record, fileName: record.file }, found).classifier === '')
        .map(({ artifact, record }) => {
          const inside = filePath(found, kindOf({ ...record, fileName: record.file }, found), null);
          return { type: 'file' as const, artifact, file: path.join(repository, inside) };
        })
    );
  });
}

async function filesBelow(folder: string): Promise<string[]> {
  try {
    return (await namesBelow(folder)).map((name) => path.join(folder, name)).sort();
  } catch (error) {
    if (isMissing(error)) return [];
    throw error;
  }
}
