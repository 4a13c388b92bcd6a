import semver from 'semver';
import { objectOf, textOf } from '../../manifest/fields.ts';
import { pythonRangeTakes } from '../../version/range-python.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const rangeImpossible: Rule = {
  id: 'metadata/range-impossible',
  severity: 'refuse',
  what: 'Ranges of interpreters and of dependencies can be read, and some version is inside each',
  why: 'Nobody can install a package that asks for a version that cannot exist',
  fix: 'Correct the range',
  example: '"engines": { "node": ">=20 <18" }, Requires-Python: >=3.9,<3',
  check: ({ manifest, form }) => {
    if (manifest === null) return [];
    const { path, json, common } = manifest;
    const found: RawFinding[] = [];
    if (form === 'npm-tarball') {
      const engines = objectOf(json['engines']);
      for (const [name, range] of Object.entries(engines))
        if (name === 'node' && typeof range === 'string' && !isPossible(range))
          found.push({ path, message: `no version is inside \`engines.node\`, "${range}"` });
      for (const { name, range, kind } of common.dependencies)
        if (kind !== 'development' && isRange(range) && !isPossible(range))
          found.push({ path, message: `no version of ${name} is inside "${range}"` });
    }
    if (form === 'wheel' || form === 'sdist') {
      const range = textOf(json['Requires-Python']);
      if (range !== null && !pythons.some((version) => pythonRangeTakes(range, version)))
        found.push({ path, message: `no version of Python is inside "${range}"` });
    }
    return found;
  },
};

/** Tags, addresses and other registries' names are no ranges. */
function isRange(range: string): boolean {
  return !/^[a-z][a-z0-9+.-]*:|^[a-z][\w-]*$|\//i.test(range) || /^v?\d/.test(range);
}

function isPossible(range: string): boolean {
  if (semver.validRange(range, { loose: true }) === null) return false;
  try {
    return semver.minVersion(range, { loose: true }) !== null;
  } catch {
    return false;
  }
}

/** Every minor version of Python there was or will be for a while, first, middle and late. */
const pythons: readonly string[] = [
  ...[6, 7].map((minor) => [2, minor] as const),
  ...Array.from({ length: 30 }, (_, minor) => [3, minor] as const),
  [4, 0] as const,
].flatMap(([major, minor]) => [0, 1, 5, 10, 18, 99].map((patch) => `${major}.${minor}.${patch}`));
