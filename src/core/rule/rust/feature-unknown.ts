import { objectOf } from '../../manifest/fields.ts';
import type { RawFinding, Rule } from '../rule.ts';
import { crateManifest, needTables } from './crate-manifest.ts';

export const featureUnknown: Rule = {
  id: 'rust/feature-unknown',
  forms: ['crate'],
  severity: 'refuse',
  what: 'Features of a crate turn on features and dependencies that it has',
  why: 'Cargo refuses the manifest, and a registry the crate',
  fix: 'Correct the name, or add the feature or the optional dependency',
  example: 'full = ["tables"] without a feature or dependency `tables`',
  check: (artifact) => {
    const { path, manifest } = crateManifest(artifact);
    const features = objectOf(manifest['features']);
    const needs = new Map(needTables(manifest).map(({ name, value }) => [name, objectOf(value)['optional'] === true]));
    return Object.entries(features).flatMap(([name, values]): RawFinding[] =>
      (Array.isArray(values) ? values : [])
        .filter((value) => typeof value === 'string' && !isKnown(value, features, needs))
        .map((value) => ({ path, message: `the feature ${name} turns on ${String(value)}, which is not there` })),
    );
  },
};

/** The Cargo Book, "Features": a feature, `dep:NAME`, `NAME/feature`, `NAME?/feature`, or an optional dependency. */
function isKnown(
  value: string,
  features: Readonly<Record<string, unknown>>,
  needs: ReadonlyMap<string, boolean>,
): boolean {
  if (value.startsWith('dep:')) return needs.get(value.slice('dep:'.length)) === true;
  const [need = '', feature] = value.split('/', 2);
  if (feature !== undefined) return needs.has(need.replace(/\?$/, ''));
  return Object.hasOwn(features, value) || needs.get(value) === true;
}
