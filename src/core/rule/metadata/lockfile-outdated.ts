import { allForms } from '../forms.ts';
import type { Rule } from '../rule.ts';

export const lockfileOutdated: Rule = {
  id: 'metadata/lockfile-outdated',
  forms: allForms,
  severity: 'warn',
  what: 'Lockfiles can be read, and have everything that the manifests ask for',
  why: 'What a lockfile lacks is missing from the SBOM, and the version that users get was never tested',
  fix: 'Run the install command of your package manager, commit the lockfile, and build again',
  example: 'package.json asks for harmonics, and package-lock.json has no entry for it',
  check: (_artifact, { lockfiles }) => lockfiles.map((message) => ({ path: null, message })),
};
