import semver from 'semver';
import { nodeRangeTakes, raiseNodeRange } from './range-node.ts';
import { pythonRangeTakes, raisePythonRange } from './range-python.ts';
import { bump, coreOf, isVersion } from './version.ts';

/** How an ecosystem reads the range of a dependency, and how it is written anew. */
export type RangeRules = {
  /**
   * Whether a version of a workspace package is inside the range.
   * @param last the dependency's last release, null when it has none.
   */
  readonly takes: (range: string, last: string | null, version: string) => boolean;
  /** The range around a new version, its operator kept. */
  readonly raise: (range: string, version: string) => string;
};

const rules: Readonly<Record<string, RangeRules>> = {
  node: { takes: nodeRangeTakes, raise: raiseNodeRange },
  python: { takes: (range, _last, version) => pythonRangeTakes(range, version), raise: raisePythonRange },
  rust: { takes: cargoTakes, raise: raiseCargo },
  jvm: { takes: mavenTakes, raise: raiseMaven },
  native: { takes: pkgConfigTakes, raise: (range, version) => range.replace(/\d\S*/, version) },
};

/** The rules of an ecosystem; of one without, any version is inside any range. */
export function rangeRules(ecosystem: string): RangeRules {
  return rules[ecosystem] ?? { takes: () => true, raise: (range) => range };
}

/** A requirement without operator is a caret (The Cargo Book, "Specifying Dependencies"); none at all takes anything. */
function cargoTakes(range: string, last: string | null, version: string): boolean {
  if (range === '') return version === last;
  const parts = range.split(',').map((part) => part.trim());
  return semver.satisfies(version, parts.map((part) => (/^\d/.test(part) ? `^${part}` : part)).join(' '));
}

function raiseCargo(range: string, version: string): string {
  const operator = /^\s*([\^~=]|>=)?\s*\d/.exec(range)?.[1] ?? '';
  return range.includes(',') ? version : `${operator}${version}`;
}

/** One version means just that one; `[1.2,2.0)` and its kin are ranges (Maven POM reference, "Dependency Version Requirement Specification"). */
function mavenTakes(range: string, _last: string | null, version: string): boolean {
  const match = mavenRange.exec(range.trim());
  if (match === null) return range.trim() === version;
  const [, open, low = '', comma, high = '', close] = match;
  if (comma === undefined) return low === version;
  const [above, below] = [whole(low), whole(high)];
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

/** `>= 1.2`, `= 1.2`, or nothing for any version (pkg-config's manual, "Requires"). */
function pkgConfigTakes(range: string, _last: string | null, version: string): boolean {
  const match = /^(>=|<=|!=|=|<|>)\s*(\S+)$/.exec(range.trim());
  const bound = whole(match?.[2] ?? '');
  return (
    match === null ||
    bound === null ||
    semver.satisfies(version, `${match[1] === '!=' ? '<' : match[1]}${bound}`) ||
    (match[1] === '!=' && semver.gt(version, bound))
  );
}

/** `1.2` as `1.2.0`; null for what is no version. */
function whole(text: string): string | null {
  const filled = `${text}${'.0'.repeat(Math.max(0, 3 - text.split('.').length))}`;
  return isVersion(filled) && coreOf(filled).major >= 0 ? filled : null;
}
