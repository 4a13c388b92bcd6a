import type { Consumer } from '../../contents/picks.ts';
import { isBevelstoneError } from '../../error/bevelstone-error.ts';
import type { DeclarationFacts } from '../../facts/declarations.ts';
import type { ScriptFacts } from '../../facts/script.ts';
import { type Artifact, insidePaths } from '../../form/artifact.ts';
import { formDefinitions } from '../../form/definitions.ts';
import { objectOf, shownText } from '../../manifest/fields.ts';
import { type PackageJson, parsePackageJson } from '../../manifest/package-json.ts';
import { listEntries } from '../../manifest/resolve-exports.ts';
import { consumerOf, type NodePackage, resolveOwnEntry } from '../../surface/node-package.ts';
import { type Reach, reachFrom } from '../../surface/reach.ts';
/** An npm tarball as the rules about its modules see it; paths are inside the package. */
export type NodeView = {
  readonly pkg: NodePackage;
  readonly paths: readonly string[];
  readonly manifestPath: string;
  readonly script: (path: string) => ScriptFacts | null;
  readonly declaration: (path: string) => DeclarationFacts | null;
  /** Entries with the file that each consumer gets. */
  readonly starts: (consumer: Consumer['name']) => readonly { readonly entry: string; readonly file: string }[];
  readonly reach: (consumer: Consumer['name']) => Reach;
};

const views = new WeakMap<Artifact, NodeView>();

/** The view of an artifact, made once; null for anything but an npm tarball with a manifest. */
export function nodeViewOf(artifact: Artifact): NodeView | null {
  if (!formDefinitions[artifact.form].hasNodeEntries || artifact.manifest === null) return null;
  const known = views.get(artifact);
  if (known !== undefined) return known;
  const view = makeView(artifact, artifact.manifest.json, artifact.manifest.path);
  views.set(artifact, view);
  return view;
}

function makeView(artifact: Artifact, manifest: PackageJson, manifestPath: string): NodeView {
  const { prefix, texts, facts } = artifact;
  const paths = insidePaths(artifact).filter((path) => !path.endsWith('/'));
  const inside = new Set(paths);
  const nestedCache = new Map<string, PackageJson | null>();
  const nested = (folder: string): PackageJson | null => {
    if (folder === '') return manifest;
    const path = `${prefix}${folder}/package.json`;
    if (!nestedCache.has(path)) nestedCache.set(path, readNested(texts.get(path), path));
    return nestedCache.get(path) ?? null;
  };
  const nodePackage: NodePackage = { manifest, has: (path) => inside.has(path), nested };
  const script = (path: string) => facts.scripts.get(prefix + path) ?? null;
  const reaches = new Map<string, Reach>();
  const starts: NodeView['starts'] = (name) => {
    const consumer = consumerOf(name);
    const entries = listEntries(manifest, paths).flatMap((entry) => {
      const file = resolveOwnEntry(entry, nodePackage, consumer);
      return file === null ? [] : [{ entry, file }];
    });
    return name === 'bundler for the browser' ? entries : [...entries, ...programs(manifest, inside)];
  };
  const reach: NodeView['reach'] = (name) => {
    const found =
      reaches.get(name) ??
      reachFrom({
        starts: starts(name).map(({ file }) => file),
        pkg: nodePackage,
        scripts: script,
        consumer: consumerOf(name),
      });
    reaches.set(name, found);
    return found;
  };
  const declaration = (path: string) => facts.declarations.get(prefix + path) ?? null;
  return { pkg: nodePackage, paths, manifestPath, script, declaration, starts, reach };
}

function readNested(text: string | undefined, path: string): PackageJson | null {
  if (text === undefined) return null;
  try {
    return parsePackageJson(text, path);
  } catch (error) {
    if (!isBevelstoneError(error, 'MANIFEST_INVALID')) throw error;
    return null;
  }
}

/** Files of `bin`, each loaded by Node.js as a program. */
export function programs(manifest: PackageJson, inside: ReadonlySet<string>): { entry: string; file: string }[] {
  const { bin } = manifest;
  const all = typeof bin === 'string' ? { [shownText(manifest['name'] ?? 'bin')]: bin } : objectOf(bin);
  return Object.entries(all).flatMap(([name, target]) => {
    const file = typeof target === 'string' ? target.replace(/^\.\//, '') : '';
    return inside.has(file) ? [{ entry: `bin ${name}`, file }] : [];
  });
}

/** Names of packages that a manifest declares, of any kind but for development. */
export function declaredPackages(manifest: PackageJson): ReadonlySet<string> {
  const fields = ['dependencies', 'peerDependencies', 'optionalDependencies'] as const;
  const bundled = [manifest['bundleDependencies'] ?? manifest['bundledDependencies'] ?? []].flat();
  return new Set([...fields.flatMap((field) => Object.keys(objectOf(manifest[field]))), ...bundled.map(shownText)]);
}
