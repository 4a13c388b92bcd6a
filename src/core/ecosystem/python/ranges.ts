import { isBevelstoneError } from '../../error/bevelstone-error.ts';
import { spell } from '../../version/spelling.ts';
import { bump } from '../../version/version.ts';

// Version specifiers of PEP 440. Versions of the workspace come as SemVer and are compared in their Python spelling.

/** Every minor version of Python there was or will be for a while, first, middle and late. */
export const pythonVersions: readonly string[] = [
  ...[6, 7].map((minor) => [2, minor] as const),
  ...Array.from({ length: 30 }, (_, minor) => [3, minor] as const),
  [4, 0] as const,
].flatMap(([major, minor]) => [0, 1, 5, 10, 18, 99].map((patch) => `${major}.${minor}.${patch}`));

/** A version as PEP 440 orders it, local part left out. */
type PythonVersion = {
  readonly release: readonly number[];
  readonly pre: readonly [number, number] | null;
  readonly dev: number | null;
};

const anyStream = { type: 'labelled', name: '', identifier: '', spell: null, count: 'releases' } as const;

/** Whether a SemVer version is inside all clauses of a specifier such as `>=1.2,<2`. */
export function pythonRangeTakes(range: string, version: string): boolean {
  const own = parse(spellOrSelf(version));
  const clauses = range.split(',').flatMap((clause) => clauseOf(clause.trim()));
  if (own === null) return false;
  const namesPrerelease = clauses.some(({ bound }) => bound?.pre != null || bound?.dev != null);
  // "Handling of pre-releases": left out unless a clause names one.
  if ((own.pre !== null || own.dev !== null) && !namesPrerelease) return false;
  return clauses.every((clause) => holds(clause, own));
}

/** The specifier around a new version: `>=1.2,<2` becomes `>=2.0.0,<3`, `~=1.2` becomes `~=2.0.0`. */
export function raisePythonRange(range: string, version: string): string {
  const spelt = spellOrSelf(version);
  return range
    .split(',')
    .map((clause) => {
      const [, lead = '', operator = '', trail = ''] = /^(\s*)(~=|===?|!=|<=?|>=?)[^,]*?(\s*)$/.exec(clause) ?? [];
      if (operator === '' || operator === '!=') return clause;
      return `${lead}${operator}${operator.startsWith('<') ? bump(version, 'major').split('.')[0] : spelt}${trail}`;
    })
    .join(',');
}

type Clause = { readonly operator: string; readonly bound: PythonVersion | null; readonly isPrefix: boolean };

function clauseOf(text: string): Clause[] {
  const match = /^(~=|===?|!=|<=?|>=?)\s*([0-9][^\s]*)$/.exec(text);
  if (match === null) return text === '' ? [] : [{ operator: 'unknown', bound: null, isPrefix: false }];
  const [, operator = '', version = ''] = match;
  return [{ operator, bound: parse(version.replace(/\.\*$/, '')), isPrefix: version.endsWith('.*') }];
}

function holds({ operator, bound, isPrefix }: Clause, own: PythonVersion): boolean {
  if (bound === null) return false;
  const order = compare(own, bound);
  const isWithin = bound.release.every((part, index) => (own.release[index] ?? 0) === part);
  if (operator === '~=')
    return order >= 0 && bound.release.slice(0, -1).every((part, index) => (own.release[index] ?? 0) === part);
  if (operator === '==' || operator === '===') return isPrefix ? isWithin : order === 0;
  if (operator === '!=') return isPrefix ? !isWithin : order !== 0;
  if (operator === '>=') return order >= 0;
  if (operator === '<=') return order <= 0;
  if (operator === '>') return order > 0;
  // "Exclusive ordered comparison": < leaves out prereleases of the bound itself.
  return operator === '<' && order < 0 && !(bound.pre === null && own.pre !== null && isWithin);
}

function parse(text: string): PythonVersion | null {
  const match = /^v?(\d+(?:\.\d+)*)(?:[-_.]?(a|b|rc|alpha|beta|c)[-_.]?(\d*))?(?:\.dev(\d+))?(?:\+.*)?$/i.exec(
    text.trim(),
  );
  if (match === null) return null;
  const [, release = '', label, number, dev] = match;
  const rank =
    label === undefined
      ? null
      : ['a', 'b', 'r'].indexOf((label.toLowerCase() === 'c' ? 'r' : label.toLowerCase()[0]) ?? '');
  return {
    release: release.split('.').map(Number),
    pre: rank === null ? null : [rank, Number(number || 0)],
    dev: dev === undefined ? null : Number(dev),
  };
}

function compare(a: PythonVersion, b: PythonVersion): number {
  for (let index = 0; index < Math.max(a.release.length, b.release.length); index++) {
    const difference = (a.release[index] ?? 0) - (b.release[index] ?? 0);
    if (difference !== 0) return difference;
  }
  // A development release comes before every prerelease of its number, and that before the release.
  const stage = ({ pre, dev }: PythonVersion) => (pre === null ? (dev === null ? 4 : 0) : 1 + pre[0]);
  return stage(a) - stage(b) || (a.pre?.[1] ?? 0) - (b.pre?.[1] ?? 0) || (a.dev ?? 0) - (b.dev ?? 0);
}

/** A version that Python cannot express is in no range. */
function spellOrSelf(version: string): string {
  try {
    return spell('python', version, anyStream);
  } catch (error) {
    if (isBevelstoneError(error, 'STREAM_UNSPELLABLE')) return version;
    throw error;
  }
}
