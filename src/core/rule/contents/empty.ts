import { filesIn, insidePath } from '../../form/artifact.ts';
import { formsBut } from '../forms.ts';
import type { Rule } from '../rule.ts';

const accompanying =
  /^(?:package\.json|readme[^/]*|licen[cs]e[^/]*|copying[^/]*|notice[^/]*|changelog[^/]*|changes[^/]*|history[^/]*|authors[^/]*|PKG-INFO|pyproject\.toml|setup\.(?:py|cfg)|META-INF\/.*|[^/]+\.dist-info\/.*|[^/]+\.egg-info\/.*|_rels\/.*|\[Content_Types\]\.xml|[^/]+\.nuspec|package\/services\/.*|usr\/share\/doc\/.*)$/i;

/** Fields by which a manifest names something without containing it. */
const listing = ['exports', 'Pre-Depends', 'Recommends', 'Suggests', 'Provides', 'Conflicts', 'Replaces'];

export const empty: Rule = {
  id: 'contents/empty',
  forms: formsBut('pom', 'text', 'loose'),
  severity: 'refuse',
  needsWhole: true,
  what: 'The artifact contains more than manifest, readme and licence',
  why: 'An empty build would otherwise be packed, uploaded and installed without an error',
  fix: 'Run the build before packing, and correct the `files` rules',
  example: 'package.json and README.md only',
  check: (artifact) => {
    const { manifest, prefix } = artifact;
    const files = filesIn(artifact);
    const own = files.filter(({ path }) => !accompanying.test(insidePath(path, prefix)));
    // A package of declarations or settings, or one that only names others, is a package all the same.
    const isList =
      (manifest?.common.dependencies.length ?? 0) > 0 || listing.some((field) => manifest?.json[field] !== undefined);
    if (own.length === 0 && !isList)
      return [{ path: null, message: 'it contains only files that accompany a package' }];
    const bytes = own.reduce((sum, { sizeBytes }) => sum + sizeBytes, 0);
    if (own.length > 0 && bytes === 0) return [{ path: null, message: 'every file is empty' }];
    return [];
  },
};
