import { joinPath, parentOf } from '../contents/inner-path.ts';
import { type Consumer, consumers } from '../contents/picks.ts';
import type { ScriptFacts } from '../facts/script.ts';
import { objectOf, textOf } from '../manifest/fields.ts';
import type { PackageJson } from '../manifest/package-json.ts';
import { resolveEntry, resolveImports } from '../manifest/resolve-exports.ts';
import { isBuiltIn } from './built-in.ts';

/** A package for the npm client as resolving sees it. Paths are inside it, without a top folder. */
export type NodePackage = {
  readonly manifest: PackageJson;
  readonly has: (path: string) => boolean;
  /** The package.json in a folder, the package's own for ''; null where there is none. */
  readonly nested: (folder: string) => PackageJson | null;
};

/** Where a specifier leads to. */
export type Target =
  | { readonly type: 'file'; readonly path: string }
  | { readonly type: 'missing'; readonly path: string; readonly why: string }
  | { readonly type: 'external'; readonly name: string; readonly entry: string }
  | { readonly type: 'built-in'; readonly name: string }
  /** An address, or what a `browser` field takes out. */
  | { readonly type: 'nothing' };

/** How a file is loaded: `as` a module or a CommonJS script, and by whom. */
export type Loading = { readonly consumer: Consumer; readonly as: 'module' | 'commonjs' };

/** The consumer of this name. */
export function consumerOf(name: Consumer['name']): Consumer {
  const found = consumers.find((consumer) => consumer.name === name);
  if (found === undefined) throw new Error(`no consumer is called ${name}`);
  return found;
}

/** The module system by which Node.js loads a file (Node.js, "Determining module system"); null: it looks at the syntax. */
export function moduleSystemOf(path: string, { manifest, nested }: NodePackage): 'module' | 'commonjs' | null {
  if (path.endsWith('.mjs')) return 'module';
  if (path.endsWith('.cjs')) return 'commonjs';
  for (let folder = parentOf(path); folder !== ''; folder = parentOf(folder)) {
    const inner = nested(folder);
    if (inner !== null) return typeIn(inner);
  }
  return typeIn(manifest);
}

function typeIn(manifest: PackageJson): 'module' | 'commonjs' | null {
  const { type } = manifest;
  return type === 'module' || type === 'commonjs' ? type : null;
}

/** The file that an entry of the package leads this consumer to; null for none. */
export function resolveOwnEntry(entry: string, nodePackage: NodePackage, consumer: Consumer): string | null {
  const { conditions, mainFields, completes } = consumer;
  const input = {
    manifest: nodePackage.manifest,
    conditions: new Set(conditions),
    mainFields,
    has: nodePackage.has,
    completes,
  };
  const found = resolveEntry(entry, input);
  if (found !== null || entry === '.' || nodePackage.manifest['exports'] !== undefined) return found;
  return completes ? throughFolder(entry.slice(2), nodePackage) : null;
}

/** Resolves what a file of the package asks for (Node.js, "Resolution Algorithm Specification" and "All together"). */
export function resolveUse({
  specifier,
  importer,
  pkg,
  loading: { consumer, as },
}: {
  readonly specifier: string;
  readonly importer: string;
  readonly pkg: NodePackage;
  readonly loading: Loading;
}): Target {
  const isBundled = consumer.name === 'bundler for the browser';
  // A map that names `path` means `node:path` too.
  const replaced = isBundled ? browserMap(pkg.manifest)[specifier.replace(/^node:/, '')] : undefined;
  if (replaced === false) return { type: 'nothing' };
  if (typeof replaced === 'string' && replaced !== specifier) {
    const inside = replaced.startsWith('./') ? fileOrMissing(replaced.slice(2), pkg, true) : null;
    return inside ?? externalOf(replaced);
  }
  if (/^\.{1,2}(?:\/|$)/.test(specifier)) {
    const [plain = ''] = isBundled || as === 'module' ? specifier.split(/[?#]/) : [specifier];
    const found = fileOrMissing(joinPath(parentOf(importer), plain), pkg, isBundled || as === 'commonjs');
    return isBundled ? throughBrowser(found, pkg) : found;
  }
  if (/^[a-z][a-z+.-]*:/i.test(specifier) && !specifier.startsWith('node:')) return { type: 'nothing' };
  if (specifier.startsWith('/')) return { type: 'missing', path: specifier, why: 'it is an absolute path' };
  if (specifier.startsWith('#')) return internalTarget(specifier, pkg, consumer);
  return externalOrSelf(specifier, pkg, consumer);
}

function externalOrSelf(specifier: string, nodePackage: NodePackage, consumer: Consumer): Target {
  const external = externalOf(specifier);
  if (
    external.type !== 'external' ||
    external.name !== nodePackage.manifest['name'] ||
    nodePackage.manifest['exports'] === undefined
  )
    return external;
  const path = resolveOwnEntry(external.entry, nodePackage, consumer);
  if (path !== null) return { type: 'file', path };
  return { type: 'missing', path: specifier, why: '`exports` does not lead to a file' };
}

/** A specifier of another package, or of Node.js; a declared dependency of the same name wins, which the caller knows. */
function externalOf(specifier: string): Target {
  if (specifier.startsWith('node:')) return { type: 'built-in', name: specifier };
  const match = /^(@[^/]+\/[^/]+|[^/]+)(\/.+)?$/.exec(specifier.replace(/\/$/, ''));
  const [name, rest] = [match?.[1] ?? specifier, match?.[2] ?? ''];
  if (isBuiltIn(specifier) || isBuiltIn(name)) return { type: 'built-in', name: specifier };
  return { type: 'external', name, entry: `.${rest}` };
}

function internalTarget(specifier: string, nodePackage: NodePackage, { conditions }: Consumer): Target {
  const found = resolveImports(specifier, nodePackage.manifest, new Set(conditions));
  if (found === null) return { type: 'missing', path: specifier, why: '`imports` does not name it' };
  return found.startsWith('./') ? fileOrMissing(found.slice(2), nodePackage, false) : externalOf(found);
}

function throughBrowser(target: Target, nodePackage: NodePackage): Target {
  if (target.type !== 'file') return target;
  const other = browserMap(nodePackage.manifest)[`./${target.path}`];
  if (other === false) return { type: 'nothing' };
  return typeof other === 'string' ? fileOrMissing(other.replace(/^\.\//, ''), nodePackage, true) : target;
}

/** A `browser` field that is a map (its specification, "replace specific files"). */
function browserMap({ browser }: PackageJson): Readonly<Record<string, unknown>> {
  return objectOf(browser);
}

function fileOrMissing(path: string, nodePackage: NodePackage, completes: boolean): Target {
  if (nodePackage.has(path)) return { type: 'file', path };
  const found = completes ? throughFolder(path, nodePackage) : null;
  if (found !== null) return { type: 'file', path: found };
  const near = completes ? null : throughFolder(path, nodePackage);
  const why = near === null ? 'it is not inside' : `Node.js does not complete it to ${near} in a module`;
  return { type: 'missing', path, why };
}

const endings = ['.js', '.json', '.node', '.mjs', '.cjs', '.jsx', '.ts', '.tsx', '.css'];

/** "Loading a file" and "Folders as modules", with the endings that bundlers add. */
function throughFolder(path: string, nodePackage: NodePackage): string | null {
  const clean = path.replace(/\/+$/, '');
  const file = endings.map((ending) => `${clean}${ending}`).find(nodePackage.has);
  if (file !== undefined) return file;
  const main = textOf(nodePackage.nested(clean)?.['main'] ?? null);
  const inside = clean === '' ? '' : `${clean}/`;
  if (main !== null) {
    const target = joinPath(clean, main);
    if (nodePackage.has(target)) return target;
    const completed = endings.map((ending) => `${target}${ending}`).find(nodePackage.has);
    if (completed !== undefined) return completed;
    if (nodePackage.has(`${target}/index.js`)) return `${target}/index.js`;
  }
  return endings.map((ending) => `${inside}index${ending}`).find(nodePackage.has) ?? null;
}

/** Scripts of a package by path. */
export type ReadScripts = (path: string) => ScriptFacts | null;
