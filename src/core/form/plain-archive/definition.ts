import type { FormDefinition } from '../definition.ts';
import { plainEntries, plainTraits } from '../traits.ts';

const common = {
  ...plainTraits,
  role: 'package',
  platforms: 'one-each-if-named',
  ecosystem: 'native',
  isUnpacked: true,
  surface: async () => (await import('../../surface/native/reader.ts')).nativeSurfaceReader,
} as const satisfies Partial<FormDefinition>;

/** Any files, as a gzipped tar archive. */
export const tarGz: FormDefinition = {
  ...common,
  title: 'any files below one folder, as a gzipped tar archive',
  container: 'tar.gz',
  layout: async () => (await import('./plain-archive.ts')).tarGz,
  entries: { ...plainEntries, keepsOwners: true },
  reasonLeftOut: () => 'a tar.gz does not take it',
};

/** Any files, as a zip archive. */
export const zip: FormDefinition = {
  ...common,
  title: 'any files below one folder, as a zip archive',
  container: 'zip',
  layout: async () => (await import('./plain-archive.ts')).zip,
  entries: plainEntries,
  reasonLeftOut: () => 'a zip does not take it',
};
