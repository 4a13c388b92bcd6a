import semver from 'semver';
import { bump } from '../../version/version.ts';
import type { RangeRules } from '../definition.ts';
import { wholeVersion } from '../whole-version.ts';

/** Ranges of a POM: one version means just that one; `[1.2,2.0)` is a range (POM reference, "Dependency Version Requirement Specification"). */
export const mavenRanges: RangeRules = { takes: mavenTakes, raise: raiseMaven, isWorkspaceRange: () => false };

function mavenTakes(range: string, _last: string | null, version: string): boolean {
  const match = mavenRange.exec(range.trim());
  if (match === null) return range.trim() === version;
  const [, open, low = '', comma, high = '', close] = match;
  if (comma === undefined) return low === version;
  const [above, below] = [wholeVersion(low), wholeVersion(high)];
  if ((low !== '' && above === null) || (high !== '' && below === null)) return false;
  const isAbove = above === null || (open === '[' ? semver.gte(version, above) : semver.gt(version, above));
  return isAbove && (below === null || (close === ']' ? semver.lte(version, below) : semver.lt(version, below)));
}

const mavenRange = /^([[(])\s*([^,\])]*?)\s*(,)?\s*([^,\])]*?)\s*([\])])$/;

function raiseMaven(range: string, version: string): string {
  const match = mavenRange.exec(range.trim());
  if (match === null) return version;
  const [, open, , comma, high = '', close] = match;
  return comma === undefined
    ? `[${version}]`
    : `${open}${version},${high === '' ? '' : bump(version, 'major')}${close}`;
}
