import type { FormDefinition } from '../definition.ts';
import { plainEntries, plainTraits } from '../traits.ts';

/** A POM as a file of its own. */
export const pom: FormDefinition = {
  ...plainTraits,
  title: 'POM of a jar, as a file of its own',
  container: 'file',
  naming: { ending: /(?:^|\.)pom(?:\.xml)?$/i, parts: [] },
  role: 'package',
  layout: async () => (await import('./pom.ts')).pom,
  platforms: 'one-with-all',
  entries: plainEntries,
  namedVersion: (version, spellings) => spellings.maven ?? version,
  ecosystem: 'jvm',
  reasonLeftOut: () => 'a pom does not take it',
};
