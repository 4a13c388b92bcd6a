import type { FormDefinition } from '../definition.ts';
import { plainEntries, plainTraits } from '../traits.ts';

const common = {
  ...plainTraits,
  role: 'package',
  layout: null,
  platforms: 'one-with-all',
  ecosystem: 'native',
} as const satisfies Partial<FormDefinition>;

/** A tar archive that is not compressed: read, never built. */
export const tar: FormDefinition = {
  ...common,
  title: 'tar archive, read only',
  container: 'tar',
  entries: { ...plainEntries, keepsOwners: true },
  reasonLeftOut: () => 'a tar does not take it',
};

/** A single text that no form recognises. */
export const text: FormDefinition = {
  ...common,
  title: 'single text, read only',
  container: 'text',
  entries: plainEntries,
  reasonLeftOut: () => 'a text does not take it',
};
