import type { ProtocolDefinition } from '../definition.ts';
import { plainProtocol, tokenOrUser, withSlash } from '../traits.ts';
import { isSnapshot } from './maven-layout.ts';
import { mavenLines, mavenSetUp } from './maven-lines.ts';

/** A repository in the layout that Maven reads. */
export const mavenLayout: ProtocolDefinition = {
  ...plainProtocol,
  title: "repository in Maven's default layout",
  forms: ['jar', 'sources-jar', 'documentation-jar', 'war', 'ear', 'pom', 'spdx', 'cyclonedx'],
  bareSecret: tokenOrUser,
  client: 'maven',
  compared: ['jar', 'pom'],
  upstream: 'maven-layout',
  readerUrl: withSlash,
  standinUrl: (served, config) => `${served}${config?.snapshots === true ? 'snapshots' : 'releases'}/`,
  refuses: ({ snapshots }, { maven = '' }) => {
    if (isSnapshot(maven) === snapshots) return null;
    return snapshots ? 'it takes snapshots alone' : 'it takes releases, and this is a snapshot';
  },
  sampleName: 'probe:probe',
  lines: mavenLines,
  setUp: mavenSetUp,
};
