import { objectOf, textOf } from '../../manifest/fields.ts';
import type { RawFinding, Rule } from '../rule.ts';
import { crateManifest, needTables } from './crate-manifest.ts';

export const unpublishableDependency: Rule = {
  id: 'rust/unpublishable-dependency',
  forms: ['crate'],
  severity: 'refuse',
  what: 'A crate takes what it needs from a registry, by a version',
  why: 'Folders, git repositories and the workspace around it are not there for its users: it can be neither built nor published',
  fix: 'Give the dependency a `version`, and build the crate with `form: crate`, which writes such a manifest',
  example: 'harmonics = { path = "../harmonics" }',
  check: (artifact) => {
    const { path, manifest } = crateManifest(artifact);
    const needs = needTables(manifest).flatMap(({ name, value }): RawFinding[] => {
      const need = objectOf(value);
      const why = ['path', 'git', 'workspace'].find((key) => need[key] !== undefined);
      return why === undefined ? [] : [{ path, message: `${name} comes from ${places[why] ?? why}` }];
    });
    const fields = Object.entries(objectOf(manifest['package'])).filter(
      ([, value]) => objectOf(value)['workspace'] === true,
    );
    const inherited = fields.map(([key]) => ({ path, message: `\`${key}\` of the package comes from a workspace` }));
    return [...needs, ...inherited];
  },
};

const places: Readonly<Record<string, string>> = {
  path: 'a folder',
  git: 'a git repository',
  workspace: 'a workspace',
};

/** The requirement of a need; null for none. */
export function requirementOf(value: unknown): string | null {
  return textOf(value) ?? textOf(objectOf(value)['version']);
}
