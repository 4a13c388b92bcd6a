import type { Rule } from '../rule.ts';
import { crateManifest, needTables } from './crate-manifest.ts';
import { requirementOf } from './unpublishable-dependency.ts';

export const wildcardRequirement: Rule = {
  id: 'rust/wildcard-requirement',
  forms: ['crate'],
  severity: 'refuse',
  what: 'A crate says which versions of its dependencies it works with',
  why: '`*` takes the next major version too, whatever it breaks; registries refuse it',
  fix: 'Require a range, such as "2.1"',
  example: 'harmonics = "*"',
  check: (artifact) => {
    const { path, manifest } = crateManifest(artifact);
    return needTables(manifest)
      .filter(({ table, value }) => table !== 'dev-dependencies' && (requirementOf(value) ?? '').trim() === '*')
      .map(({ name }) => ({ path, message: `it takes any version of ${name}` }));
  },
};
