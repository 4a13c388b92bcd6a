import semver from 'semver';
import type { RangeRules } from '../definition.ts';
import { wholeVersion } from '../whole-version.ts';

/** `>= 1.2`, `= 1.2`, or nothing for any version (pkg-config's manual, "Requires"). */
export const pkgConfigRanges: RangeRules = {
  takes: pkgConfigTakes,
  raise: (range, version) => range.replace(/\d\S*/, version),
  isWorkspaceRange: () => false,
};

function pkgConfigTakes(range: string, _last: string | null, version: string): boolean {
  const match = /^(>=|<=|!=|=|<|>)\s*(\S+)$/.exec(range.trim());
  const bound = wholeVersion(match?.[2] ?? '');
  return (
    match === null ||
    bound === null ||
    semver.satisfies(version, `${match[1] === '!=' ? '<' : match[1]}${bound}`) ||
    (match[1] === '!=' && semver.gt(version, bound))
  );
}
