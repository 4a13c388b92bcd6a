import type { FormDefinition } from '../definition.ts';
import { plainEntries, plainTraits } from '../traits.ts';

/** The sources at the commit. */
export const sourceArchive: FormDefinition = {
  ...plainTraits,
  title: 'the sources at the commit, with the version written in, as a gzipped tar archive',
  container: 'tar.gz',
  role: 'package',
  layout: async () => (await import('./source-archive.ts')).sourceArchive,
  platforms: 'one-with-all',
  entries: plainEntries,
  ecosystem: 'native',
  isSource: true,
  isUnpacked: true,
  reasonLeftOut: () => 'a source-archive does not take it',
};
