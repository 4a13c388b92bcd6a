import { BevelstoneError } from '../error/bevelstone-error.ts';
import { parseJson } from '../text/json.ts';
import { objectOf, textOf } from './fields.ts';
import type { ManifestDependency, ManifestFormat, PackageManifest } from './package-manifest.ts';

/** A package.json as its own format has it: untrusted, each field still to be looked at. */
export type PackageJson = Readonly<Record<string, unknown>>;

/** Fields of a package.json that name dependencies, and why. */
export const dependencyFields = [
  ['dependencies', 'run'],
  ['optionalDependencies', 'run'],
  ['peerDependencies', 'peer'],
  ['devDependencies', 'development'],
] as const;

/** `package.json` (the npm client's documentation, "package.json"). */
export const packageJsonFormat: ManifestFormat = {
  read: (text, file) => readPackageJson(parsePackageJson(text, file)),
  stamp: (text, { version, ranges }, file) => {
    const json = parsePackageJson(text, file);
    const edits = ranges.flatMap(({ name, from, to }) =>
      dependencyFields
        .filter(([field]) => objectOf(json[field])[name] === from)
        .map(([field]): JsonEdit => ({ path: [field, name], value: to })),
    );
    const own = version === null ? [] : [{ path: ['version'], value: version }];
    return editPackageJson(text, [...own, ...edits], file);
  },
};

/** @throws MANIFEST_INVALID when the text is no JSON object. */
export function parsePackageJson(text: string, file: string): PackageJson {
  let value: unknown;
  try {
    value = parseJson(text);
  } catch (cause) {
    throw invalid(file, cause instanceof Error ? cause.message : 'not JSON', cause);
  }
  if (typeof value !== 'object' || value === null || Array.isArray(value)) throw invalid(file, 'it is no JSON object');
  return value as PackageJson;
}

/** The common view of a package.json. Fields of a wrong type count as missing. */
export function readPackageJson(json: PackageJson): PackageManifest {
  return {
    name: textOf(json['name']),
    version: textOf(json['version']),
    description: textOf(json['description']),
    licence: textOf(json['license']),
    dependencies: dependencyFields.flatMap(([field, kind]) =>
      Object.entries(objectOf(json[field])).flatMap(([name, range]): ManifestDependency[] =>
        typeof range !== 'string'
          ? []
          : field === 'optionalDependencies' || (field === 'peerDependencies' && isOptionalPeer(json, name))
            ? [{ name, range, kind, isOptional: true }]
            : [{ name, range, kind }],
      ),
    ),
  };
}

/** Whether `peerDependenciesMeta` says that users may leave a peer out. */
export function isOptionalPeer(json: PackageJson, name: string): boolean {
  return objectOf(objectOf(json['peerDependenciesMeta'])[name])['optional'] === true;
}

/** One place of a package.json that is written anew. */
export type JsonEdit = { readonly path: readonly string[]; readonly value: string };

/**
 * Writes text values into a JSON document and leaves everything else byte for byte: order, indentation, line ends.
 * A key that is missing at the top level is added behind `name`, or first.
 * @throws MANIFEST_INVALID when the text is no JSON object or a nested path is not there.
 */
export function editPackageJson(text: string, edits: readonly JsonEdit[], file: string): string {
  parsePackageJson(text, file);
  return edits.reduce((edited, edit) => applyEdit(edited, edit, file), text);
}

function applyEdit(text: string, { path, value }: JsonEdit, file: string): string {
  const span = findValue(text, path);
  if (span !== null) return text.slice(0, span.start) + JSON.stringify(value) + text.slice(span.end);
  const [key] = path;
  if (path.length !== 1 || key === undefined) throw invalid(file, `it has no ${path.join('.')}`);
  return addKey(text, key, value);
}

function addKey(text: string, key: string, value: string): string {
  const newline = text.includes('\r\n') ? '\r\n' : '\n';
  const indent = /^\s*\{\r?\n([ \t]+)"/.exec(text)?.[1];
  const entry = `${JSON.stringify(key)}: ${JSON.stringify(value)}`;
  const separator = indent === undefined ? ' ' : `${newline}${indent}`;
  const name = findValue(text, ['name']);
  if (name !== null) return `${text.slice(0, name.end)},${separator}${entry}${text.slice(name.end)}`;
  const open = text.indexOf('{') + 1;
  const isEmpty = /^\s*\}/.test(text.slice(open));
  return `${text.slice(0, open)}${isEmpty ? entry : `${separator}${entry},`}${text.slice(open)}`;
}

/** The span of the value at a path of keys, in a text known to be JSON. */
function findValue(text: string, path: readonly string[]): { start: number; end: number } | null {
  const token = /"[^"\\]*(?:\\.[^"\\]*)*"|[{}[\],:]|[^\s{}[\],:"]+/g;
  const trail: (string | null)[] = [];
  let key: string | null = null;
  let start: number | null = null;
  let depth = 0;
  for (let match = token.exec(text); match !== null; match = token.exec(text)) {
    const [part] = match;
    const isValueStart = part !== ',' && part !== ':' && part !== '}' && part !== ']';
    const isKey =
      isValueStart &&
      part.startsWith('"') &&
      /^\s*:/.test(text.slice(token.lastIndex, token.lastIndex + 64)) &&
      key === null;
    if (part === '{' || part === '[') {
      if (start === null && isAt(trail, key, path)) [start, depth] = [match.index, trail.length];
      trail.push(key);
      key = null;
    } else if (part === '}' || part === ']') {
      trail.pop();
      key = null;
      if (start !== null && trail.length === depth) return { start, end: token.lastIndex };
    } else if (part === ',') key = null;
    else if (isKey) key = JSON.parse(part) as string;
    else if (part !== ':' && start === null && isAt(trail, key, path))
      return { start: match.index, end: token.lastIndex };
  }
  return null;
}

function isAt(trail: readonly (string | null)[], key: string | null, path: readonly string[]): boolean {
  if (trail.length !== path.length || key !== path.at(-1)) return false;
  return path.slice(0, -1).every((step, index) => trail[index + 1] === step);
}

function invalid(file: string, why: string, cause?: unknown): BevelstoneError {
  return new BevelstoneError('MANIFEST_INVALID', {
    message: `${file} cannot be read`,
    why,
    fix: 'Correct the file and commit it',
    where: { file },
    ...(cause === undefined ? {} : { cause }),
  });
}
