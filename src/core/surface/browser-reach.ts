import type { ScriptFacts } from '../facts/script.ts';
import { objectOf } from '../manifest/fields.ts';
import type { PackageJson } from '../manifest/package-json.ts';
import { listEntries } from '../manifest/resolve-exports.ts';
import { isBuiltIn } from './built-in.ts';
import { consumerOf, type NodePackage, resolveOwnEntry, resolveUse } from './node-package.ts';
import { loadedAs } from './reach.ts';

/** A package whose files can be read, with the way to what it depends on. */
export type ReadablePackage = NodePackage & {
  readonly name: string;
  readonly paths: readonly string[];
  readonly read: (path: string) => Promise<ScriptFacts | null>;
  /** The package that this one gets for a name; null when it is not at hand. */
  readonly find: (name: string) => Promise<ReadablePackage | null>;
};

/** How a browser entry comes to a module of Node.js: file after file, the module last. */
export type BrowserChain = {
  readonly entry: string;
  readonly steps: readonly string[];
  readonly builtIn: string;
  /** Whether it is asked for only when some code runs. */
  readonly isLate: boolean;
};

/** What a walk from the browser entries found. */
export type BrowserReach = {
  readonly chains: readonly BrowserChain[];
  /** Dependencies that could not be looked into, with what asks for them. */
  readonly unread: readonly { readonly name: string; readonly askedBy: string }[];
};

type Place = {
  readonly pkg: ReadablePackage;
  readonly file: string;
  readonly steps: readonly string[];
  readonly isLate: boolean;
};

const maxFiles = 20_000;

/**
 * Follows every import from the browser entries of a package, through its own files and through its dependencies, each
 * resolved by its own browser conditions, and tells each module of Node.js that is reached by the shortest way.
 */
export async function findBrowserChains(top: ReadablePackage): Promise<BrowserReach> {
  const chains: BrowserChain[] = [];
  const unread = new Map<string, string>();
  const consumer = consumerOf('bundler for the browser');
  for (const entry of browserEntries(top.manifest, top.paths)) {
    const start = resolveOwnEntry(entry, top, consumer);
    if (start === null) continue;
    const seen = new Set<string>();
    const reported = new Set<string>();
    const first = throughMap(start, top);
    let waiting: Place[] = [{ pkg: top, file: first, steps: [shown(top, first, top)], isLate: false }];
    while (waiting.length > 0 && seen.size < maxFiles) {
      const next: Place[] = [];
      for (const place of waiting) {
        const { pkg, file, steps } = place;
        const key = `${pkg.name}\0${pkg.manifest['version']}\0${file}`;
        if (seen.has(key)) continue;
        seen.add(key);
        const facts = await pkg.read(file);
        for (const use of facts?.uses ?? []) {
          if (use.isTried) continue;
          const isLate = place.isLate || use.isLate;
          const as = loadedAs({ use, file, syntax: facts?.syntax ?? 'either', pkg: pkg });
          const target = resolveUse({ specifier: use.specifier, importer: file, pkg: pkg, loading: { consumer, as } });
          if (target.type === 'file') {
            next.push({ pkg: pkg, file: target.path, steps: [...steps, shown(pkg, target.path, top)], isLate });
            continue;
          }
          const name = target.type === 'external' ? target.name : target.type === 'built-in' ? target.name : null;
          if (name === null) continue;
          // Some packages are called like modules of Node.js and stand in for them where they are declared.
          if (target.type === 'built-in' && !isDeclared(name.split('/')[0] ?? '', pkg.manifest)) {
            if (!reported.has(name)) chains.push({ entry, steps: [...steps, name], builtIn: name, isLate });
            reported.add(name);
            continue;
          }
          const packageName = target.type === 'external' ? name : (name.split('/')[0] ?? '');
          const inner =
            target.type === 'external' ? target.entry : `.${name.slice(packageName.length).replace(/\/$/, '')}`;
          const dependency = await pkg.find(packageName);
          if (dependency === null) {
            if (!unread.has(packageName)) unread.set(packageName, steps.at(-1) ?? '');
            continue;
          }
          const found = resolveOwnEntry(inner, dependency, consumer);
          if (found !== null) {
            const mapped = throughMap(found, dependency);
            next.push({ pkg: dependency, file: mapped, steps: [...steps, shown(dependency, mapped, top)], isLate });
          }
        }
      }
      waiting = next;
    }
  }
  return { chains, unread: [...unread].map(([name, askedBy]) => ({ name, askedBy })) };
}

/** Entries that promise to run in a browser: with a `browser` condition of their own, or the one of a `browser` field. */
function browserEntries(manifest: PackageJson, paths: readonly string[]): string[] {
  const { exports, browser } = manifest;
  if (exports === undefined || exports === null) return browser === undefined ? [] : ['.'];
  const map = objectOf(exports);
  const keys = Object.keys(map);
  if (!keys.every((key) => key.startsWith('.')))
    return hasBrowserCondition(exports) || browser !== undefined ? ['.'] : [];
  return listEntries(manifest, paths).filter((entry) => {
    const key = Object.hasOwn(map, entry)
      ? entry
      : keys.find((key) => key.includes('*') && entry.startsWith(key.split('*')[0] ?? ''));
    return (key !== undefined && hasBrowserCondition(map[key])) || (entry === '.' && browser !== undefined);
  });
}

function hasBrowserCondition(value: unknown): boolean {
  if (Array.isArray(value)) return value.some(hasBrowserCondition);
  return Object.entries(objectOf(value)).some(([key, inner]) => key === 'browser' || hasBrowserCondition(inner));
}

function throughMap(file: string, nodePackage: NodePackage): string {
  const other = objectOf(nodePackage.manifest['browser'])[`./${file}`];
  return typeof other === 'string' && nodePackage.has(other.replace(/^\.\//, '')) ? other.replace(/^\.\//, '') : file;
}

function isDeclared(name: string, manifest: PackageJson): boolean {
  if (!isBuiltIn(name) || name.startsWith('node:')) return false;
  return ['dependencies', 'peerDependencies', 'optionalDependencies'].some(
    (field) => name in objectOf(manifest[field]),
  );
}

function shown(readablePackage: ReadablePackage, file: string, top: ReadablePackage): string {
  return readablePackage === top ? file : `${readablePackage.name}/${file}`;
}
