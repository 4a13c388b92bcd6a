import { type ClientLine, type Offer, tokenVariable } from '../offer.ts';
import { coordinatesOf, isSnapshot } from './maven-layout.ts';

/** The dependency by its coordinates. */
export function mavenLines({ release }: Offer): ClientLine[] {
  const found = coordinatesOf(release.about.name, release.about.spellings.maven ?? release.version);
  if (found === null) return [];
  const { groupId, artifactId, version } = found;
  const block = [
    '<dependency>',
    `  <groupId>${groupId}</groupId>`,
    `  <artifactId>${artifactId}</artifactId>`,
    `  <version>${version}</version>`,
    '</dependency>',
  ];
  return [{ client: 'maven', into: 'pom.xml', text: block.join('\n') }];
}

/** The repository, and a server with a token. */
export function mavenSetUp({ destination, url, release }: Offer): ClientLine[] {
  const snapshots = isSnapshot(release.about.spellings.maven ?? release.version);
  const repository = [
    '<repository>',
    `  <id>${destination}</id>`,
    `  <url>${url.replaceAll('${', '${env.')}</url>`,
    `  <releases><enabled>${String(!snapshots)}</enabled></releases>`,
    `  <snapshots><enabled>${String(snapshots)}</enabled></snapshots>`,
    '</repository>',
  ];
  const server = [
    '<server>',
    `  <id>${destination}</id>`,
    '  <username>token</username>',
    `  <password>\${env.${tokenVariable(destination)}}</password>`,
    '</server>',
  ];
  return [
    { client: 'maven', into: 'pom.xml, repositories', text: repository.join('\n') },
    { client: 'maven', into: 'settings.xml, servers', text: server.join('\n') },
  ];
}
