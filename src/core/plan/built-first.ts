import { objectOf, textOf } from '../manifest/fields.ts';
import type { PackageJson } from '../manifest/package-json.ts';

/** A place in a manifest that names a file which users load. */
export type NamedEntry = { readonly field: string; readonly file: string };

/**
 * Entries of package.json that an install from git does not bring into being: files that are not in the tree, or that are TypeScript,
 * which no runtime takes from a dependency.
 * @param paths files of the package's folder at the commit.
 */
export function builtFirst(manifest: PackageJson, paths: ReadonlySet<string>): NamedEntry[] {
  const folders = new Set([...paths].flatMap((file) => parentsOf(file)));
  const isThere = (file: string) =>
    ['', '.js', '.json', '.node', '/index.js', '/index.json'].some((end) => paths.has(file + end));
  const named = [
    ...['main', 'module', 'browser', 'types', 'typings'].map((field) => ({ field, value: manifest[field] })),
    ...Object.entries(objectOf(manifest['bin'])).map(([name, value]) => ({ field: `bin.${name}`, value })),
    ...(typeof manifest['bin'] === 'string' ? [{ field: 'bin', value: manifest['bin'] }] : []),
    ...leaves(manifest['exports']).map((value) => ({ field: 'exports', value })),
  ];
  const entries = named.flatMap(({ field, value }) => {
    const file =
      textOf(value)
        ?.replace(/^(?:\.\/)+/, '')
        .replace(/\/+$/, '') ?? '';
    // A pattern stands for whatever is there; a folder is completed.
    if (file === '' || file.includes('*') || folders.has(file)) return [];
    const isSource = /(?<!\.d)\.[cm]?tsx?$/.test(file);
    return isThere(file) && !isSource ? [] : [{ field, file }];
  });
  return [...new Map(entries.map((entry) => [entry.file, entry])).values()];
}

/** Scripts that the npm client runs on the machine of whoever installs from git (npm-scripts(7), "Life Cycle Scripts"). */
export function installScripts(manifest: PackageJson): string[] {
  const scripts = objectOf(manifest['scripts']);
  return ['preinstall', 'install', 'postinstall', 'prepare', 'prepack'].filter(
    (name) => textOf(scripts[name]) !== null,
  );
}

function leaves(value: unknown): string[] {
  if (typeof value === 'string') return [value];
  if (Array.isArray(value)) return value.flatMap(leaves);
  return typeof value === 'object' && value !== null ? Object.values(value).flatMap(leaves) : [];
}

function parentsOf(file: string): string[] {
  const parts = file.split('/');
  return parts.slice(1).map((_, index) => parts.slice(0, index + 1).join('/'));
}
