import { objectOf } from './fields.ts';
import type { PackageJson } from './package-json.ts';

/** What resolving an entry depends on. */
export type ResolveInput = {
  readonly manifest: PackageJson;
  /** Conditions that hold, beside `default`. */
  readonly conditions: ReadonlySet<string>;
  /** Fields that count where there is no `exports`, first one first. */
  readonly mainFields: readonly string[];
  /** Whether a file is inside, by its path without `./`. */
  readonly has: (path: string) => boolean;
  /** Whether paths are completed by endings and folders (CommonJS, "Loading a file" and "Folders as modules"). */
  readonly completes: boolean;
};

/**
 * The file that a specifier of the package itself leads to, without `./`; null when it leads nowhere.
 * @param entry `.` or `./sub/path` (Node.js, "Resolution Algorithm Specification", PACKAGE_RESOLVE from step 9 on).
 */
export function resolveEntry(entry: string, input: ResolveInput): string | null {
  const { exports } = input.manifest;
  if (exports !== undefined && exports !== null) {
    const target = resolveExports(entry, exports, input.conditions);
    return target === null ? null : insideOrNull(target.slice(2), input.has);
  }
  if (entry !== '.') return complete(entry.slice(2), input);
  for (const field of input.mainFields) {
    const value = input.manifest[field];
    if (typeof value !== 'string') continue;
    const found =
      field === 'main' || input.completes ? completeMain(strip(value), input) : insideOrNull(strip(value), input.has);
    if (found !== null) return found;
  }
  return insideOrNull('index.js', input.has);
}

/** Entries that a package's `exports` names; patterns are filled with the files they match. `.` alone without `exports`. */
export function listEntries(manifest: PackageJson, paths: readonly string[]): string[] {
  const { exports } = manifest;
  if (exports === undefined || exports === null || !isSubpathMap(exports)) return ['.'];
  return Object.keys(objectOf(exports)).flatMap((key) => {
    if (!key.includes('*')) return [key];
    const targets = texts(objectOf(exports)[key]);
    const matches = targets.flatMap((target) => {
      const [before = '', after = ''] = target.replace(/^\.\//, '').split('*');
      return paths
        .filter(
          (path) => path.length >= before.length + after.length && path.startsWith(before) && path.endsWith(after),
        )
        .map((path) => path.slice(before.length, path.length - after.length))
        .filter((middle) => middle !== '' && middle.includes('*') === false);
    });
    return [...new Set(matches)].sort().map((middle) => key.replace('*', () => middle));
  });
}

/**
 * Every target that an entry leads to under these conditions, in their order, up to the first that forbids it; for a reader that
 * goes on where there is no file.
 */
export function entryTargets(entry: string, { exports }: PackageJson, conditions: ReadonlySet<string>): string[] {
  const map = isSubpathMap(exports) ? objectOf(exports) : { '.': exports };
  const own = Object.hasOwn(map, entry) && !entry.includes('*') ? { value: map[entry], match: '' } : null;
  const found = own ?? patternFor(entry, map);
  if (found === null) return [];
  const targets = allTargets(found.value, conditions);
  const end = targets.indexOf(null);
  return (end === -1 ? targets : targets.slice(0, end)).flatMap((target) =>
    target?.startsWith('./') === true ? [target.replaceAll('*', () => found.match)] : [],
  );
}

function allTargets(value: unknown, conditions: ReadonlySet<string>): (string | null)[] {
  if (typeof value === 'string' || value === null) return [value];
  if (Array.isArray(value)) return value.flatMap((item) => allTargets(item, conditions));
  return Object.entries(objectOf(value)).flatMap(([condition, inner]) =>
    condition === 'default' || conditions.has(condition) ? allTargets(inner, conditions) : [],
  );
}

/** What a specifier with `#` stands for: `./path` of the package itself, or a specifier of another one (PACKAGE_IMPORTS_RESOLVE). */
export function resolveImports(
  specifier: string,
  manifest: PackageJson,
  conditions: ReadonlySet<string>,
): string | null {
  const map = objectOf(manifest['imports']);
  if (Object.hasOwn(map, specifier) && !specifier.includes('*'))
    return resolveTarget({ target: map[specifier], match: null, conditions, isInternal: true });
  return resolvePattern({ entry: specifier, map, conditions, isInternal: true });
}

/** PACKAGE_EXPORTS_RESOLVE; null where the specification throws or finds nothing. */
function resolveExports(entry: string, exports: unknown, conditions: ReadonlySet<string>): string | null {
  if (!isSubpathMap(exports)) return entry === '.' ? resolveTarget({ target: exports, match: null, conditions }) : null;
  const map = objectOf(exports);
  // An own key without a pattern wins, also with null behind it.
  if (Object.hasOwn(map, entry) && !entry.includes('*') && !entry.endsWith('/'))
    return resolveTarget({ target: map[entry], match: null, conditions });
  return resolvePattern({ entry, map, conditions });
}

/** PACKAGE_IMPORTS_EXPORTS_RESOLVE, from the patterns on. */
function resolvePattern({
  entry,
  map,
  conditions,
  isInternal = false,
}: {
  readonly entry: string;
  readonly map: Readonly<Record<string, unknown>>;
  readonly conditions: ReadonlySet<string>;
  readonly isInternal?: boolean;
}): string | null {
  const found = patternFor(entry, map);
  return found === null ? null : resolveTarget({ target: found.value, match: found.match, conditions, isInternal });
}

/** The value of the pattern that fits best, and what its star stands for. */
function patternFor(
  entry: string,
  map: Readonly<Record<string, unknown>>,
): { readonly value: unknown; readonly match: string } | null {
  const keys = Object.keys(map).filter((key) => key.split('*').length === 2);
  for (const key of keys.sort(comparePatterns)) {
    const [before = '', after = ''] = key.split('*');
    if (!entry.startsWith(before) || entry === before) continue;
    if (after !== '' && !(entry.endsWith(after) && entry.length >= key.length)) continue;
    return { value: map[key], match: entry.slice(before.length, entry.length - after.length) };
  }
  return null;
}

/** Keys that begin with a dot are subpaths; otherwise the whole value is for `.`. */
function isSubpathMap(exports: unknown): boolean {
  const keys = Object.keys(objectOf(exports));
  return keys.length > 0 && keys.every((key) => key.startsWith('.'));
}

/** PACKAGE_TARGET_RESOLVE: undefined goes on to the next condition, null ends the search. */
function resolveTarget({
  target,
  match,
  conditions,
  isInternal = false,
}: {
  readonly target: unknown;
  readonly match: string | null;
  readonly conditions: ReadonlySet<string>;
  readonly isInternal?: boolean;
}): string | null {
  return targetOf({ target, match, conditions, isInternal }) ?? null;
}

function targetOf({
  target,
  match,
  conditions,
  isInternal,
}: {
  readonly target: unknown;
  readonly match: string | null;
  readonly conditions: ReadonlySet<string>;
  readonly isInternal: boolean;
}): string | null | undefined {
  if (typeof target === 'string') {
    // Only `imports` may lead to another package.
    if (isInternal && !target.startsWith('.') && !target.startsWith('/'))
      return match === null ? target : target.replaceAll('*', () => match);
    if (!target.startsWith('./') || hasForbiddenPart(target.slice(2))) return null;
    if (match !== null && hasForbiddenPart(match)) return null;
    return match === null ? target : target.replaceAll('*', () => match);
  }
  if (target === null) return null;
  if (Array.isArray(target)) {
    let last: string | null | undefined = null;
    for (const item of target) {
      const found = targetOf({ target: item, match, conditions, isInternal });
      if (found === undefined) continue;
      // An invalid text is passed over, and so is null, which counts only at the end.
      last = found;
      if (found !== null) return found;
    }
    return last;
  }
  if (typeof target !== 'object') return null;
  for (const [condition, value] of Object.entries(target as object)) {
    if (condition !== 'default' && !conditions.has(condition)) continue;
    const found = targetOf({ target: value, match, conditions, isInternal });
    if (found !== undefined) return found;
  }
  return undefined;
}

function hasForbiddenPart(path: string): boolean {
  return path
    .split(/[/\\]/)
    .some((part) => part === '' || part === '.' || part === '..' || part.toLowerCase() === 'node_modules');
}

/** PATTERN_KEY_COMPARE: the longer base first, then the longer key. */
function comparePatterns(a: string, b: string): number {
  const base = (key: string) => key.indexOf('*') + 1;
  return base(b) - base(a) || b.length - a.length;
}

/** LEGACY_MAIN_RESOLVE's endings for `main`. */
function completeMain(path: string, { has }: ResolveInput): string | null {
  const endings = ['', '.js', '.json', '.node', '/index.js', '/index.json', '/index.node'];
  const clean = path.replace(/\/$/, '');
  return endings.map((ending) => `${clean}${ending}`).find(has) ?? null;
}

function complete(path: string, input: ResolveInput): string | null {
  return input.completes ? completeMain(path, input) : insideOrNull(path, input.has);
}

function insideOrNull(path: string, has: (path: string) => boolean): string | null {
  return has(path) ? path : null;
}

function strip(path: string): string {
  return path.replace(/^\.\//, '');
}

function texts(value: unknown): string[] {
  if (typeof value === 'string') return [value];
  if (Array.isArray(value)) return value.flatMap(texts);
  return Object.values(objectOf(value)).flatMap(texts);
}
