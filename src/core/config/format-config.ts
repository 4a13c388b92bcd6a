import { formatDuration } from '../text/duration.ts';
import { isStrictPattern, type TagPattern } from '../version/tag-pattern.ts';
import type { Config, PackageConfig } from './config.ts';

type Json = { readonly [key: string]: unknown };
type Path = readonly string[];

/**
 * A configuration as it can be written into bevelstone.yaml, every default included: reading it again gives the same
 * configuration. Keys without a value are left out, since an empty value would be an error.
 */
export function formatConfig(config: Config): Json {
  return formatObject(withPlainTags(config), []);
}

/** Artifacts as `artifacts` of a package has them in bevelstone.yaml. */
export function formatArtifacts(artifacts: PackageConfig['artifacts']): Json[] {
  return artifacts.map((artifact) => formatObject(artifact, ['packages', '', 'artifacts']));
}

/** A configuration with its tag patterns as people write them: those that are read as SemVer are texts. */
export function withPlainTags(config: Config): Json {
  const packages = Object.entries(config.packages).map(([name, pkg]) => [name, { ...pkg, tag: plainTags(pkg.tag) }]);
  return {
    ...config,
    history: { ...config.history, tag: plainTags(config.history.tag) },
    packages: Object.fromEntries(packages),
  };
}

function plainTags(patterns: readonly TagPattern[] | null): readonly (string | TagPattern)[] | null {
  return patterns?.map((pattern) => (isStrictPattern(pattern) ? pattern.read : pattern)) ?? null;
}

function formatObject(object: Json, path: Path): Json {
  return Object.fromEntries(
    Object.entries(object).flatMap(([key, value]) =>
      isLeftOut(key, value, path) ? [] : [[key, formatValue(value, [...path, key])]],
    ),
  );
}

function formatValue(value: unknown, path: Path): unknown {
  const key = path.at(-1) ?? '';
  if (typeof value === 'number' && durations.has(key)) return formatDuration(value);
  if (typeof value === 'number' && (key === 'largest' || (path[0] === 'limits' && limitSizes.has(key))))
    return `${value} B`;
  if (Array.isArray(value)) return value.map((item) => formatItem(item, path));
  return typeof value === 'object' && value !== null ? formatObject(value as Json, path) : value;
}

const limitSizes = new Set(['unpacked', 'manifest', 'yaml', 'lockfile', 'sbom']);

const durations = new Set(['at-most', 'confirm-for', 'within']);

function formatItem(item: unknown, path: Path): unknown {
  if (typeof item !== 'object' || item === null) return item;
  if (path.at(-1) !== 'tools' || path.length !== 3) return formatObject(item as Json, path);
  const { name, range } = item as { readonly name: string; readonly range: string | null };
  return range === null ? name : `${name} ${range}`;
}

/** Only `growth` has an empty value of its own; these mappings are refused where a form has no use for them. */
function isLeftOut(key: string, value: unknown, path: Path): boolean {
  if (value === null) return !(key === 'growth' && path.at(-1) === 'verify');
  const isEmpty = typeof value === 'object' && Object.keys(value as object).length === 0;
  return isEmpty && path.at(-1) === 'artifacts' && ['control', 'attributes', 'coordinates'].includes(key);
}
