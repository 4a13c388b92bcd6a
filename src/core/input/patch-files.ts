import type { InputConfig, PackageConfig } from '../config/config.ts';
import { compareBytes } from '../contents/entry.ts';
import { globMatcher } from '../text/glob.ts';

/** Patches of an input among the files of the package's folder: as `patches` lists them, those of one glob by their names. */
export function patchFiles(
  { inputs, patches }: Pick<PackageConfig, 'inputs' | 'patches'>,
  input: InputConfig,
  files: readonly string[],
): { readonly found: readonly string[]; readonly missing: readonly string[] } {
  const rules = patches.filter((rule) => rule.input === input.name || (rule.input === null && inputs.length === 1));
  const each = rules.map((rule) => {
    const matches = globMatcher([rule.files.replace(/^(?:\.\/)+/, '')]);
    return { rule, found: files.filter((file) => matches(file)).sort(compareBytes) };
  });
  return {
    found: [...new Set(each.flatMap(({ found }) => found))],
    missing: each.flatMap(({ rule, found }) => (found.length === 0 && !/[*?[{]/.test(rule.files) ? [rule.files] : [])),
  };
}
