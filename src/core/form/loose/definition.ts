import type { FormDefinition } from '../definition.ts';
import { plainEntries, plainTraits } from '../traits.ts';

/** Files that are delivered one by one, each at its own path. */
export const loose: FormDefinition = {
  ...plainTraits,
  title: 'a tree of files, each delivered by itself at its own path',
  container: 'file',
  role: 'package',
  layout: async () => (await import('./loose.ts')).loose,
  platforms: 'one-each-if-named',
  entries: { ...plainEntries, links: 'dropped', modes: 'none', hasTopFolder: false },
  ecosystem: 'native',
  isLoose: true,
  reasonLeftOut: () => 'no rule of a loose artifact takes it',
};
