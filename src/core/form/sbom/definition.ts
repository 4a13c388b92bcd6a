import { sbomTitles } from '../../name/form.ts';
import type { FormDefinition } from '../definition.ts';
import { plainEntries, plainTraits } from '../traits.ts';

const common = {
  ...plainTraits,
  container: 'file',
  role: 'sbom',
  // An SBOM is written from a release, not laid out from its files.
  layout: null,
  platforms: 'one-with-all',
  entries: plainEntries,
  ecosystem: 'native',
} as const satisfies Partial<FormDefinition>;

/** An SBOM in SPDX 2.3. */
export const spdx: FormDefinition = {
  ...common,
  title: `SBOM in ${sbomTitles.spdx}`,
  reasonLeftOut: () => 'a spdx does not take it',
};

/** An SBOM in CycloneDX 1.6. */
export const cyclonedx: FormDefinition = {
  ...common,
  title: `SBOM in ${sbomTitles.cyclonedx}`,
  reasonLeftOut: () => 'a cyclonedx does not take it',
};
