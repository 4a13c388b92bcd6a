import type { RawFinding, Rule } from '../rule.ts';

export const dependencyElsewhere: Rule = {
  id: 'node/dependency-elsewhere',
  forms: ['npm-tarball'],
  severity: 'refuse',
  what: 'Dependencies are version ranges that a registry can resolve',
  why: 'A path only exists on your machine, and the content of a URL or branch can change without a new version',
  fix: "Publish the dependency and use a range; `bevelstone build` writes ranges for the workspace's own packages",
  example: '"tidemark": "file:../tidemark"',
  check: ({ manifest }) => {
    if (manifest === null) return [];
    const { path, common } = manifest;
    return common.dependencies
      .filter(({ kind }) => kind !== 'development')
      .flatMap(({ name, range }): RawFinding[] => {
        const what = kindOf(range);
        return what === null ? [] : [{ path, message: `${name} is "${range}", ${what}` }];
      });
  },
};

function kindOf(range: string): string | null {
  if (/^(?:file|link|portal):|^\.{0,2}\/|^~\//.test(range)) return 'a path of the build machine';
  if (/^(?:workspace|catalog):/.test(range)) return 'a reference inside the workspace';
  if (/^(?:git(?:\+\w+)?|ssh|git@[\w.-]+):|\.git(?:#|$)/.test(range)) return 'a repository';
  if (/^https?:/.test(range)) return 'an address of another machine';
  return /^(?:[a-z]+:)?[\w.-]+\/[\w.-]+(?:#.*)?$/i.test(range) && !range.startsWith('npm:') ? 'a repository' : null;
}
