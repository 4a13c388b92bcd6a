import path from 'node:path';
import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { readScript } from '../../core/facts/script.ts';
import type { Artifact } from '../../core/form/artifact.ts';
import { formDefinitions } from '../../core/form/definitions.ts';
import { objectOf, textOf } from '../../core/manifest/fields.ts';
import { type PackageJson, parsePackageJson } from '../../core/manifest/package-json.ts';
import { nodeViewOf } from '../../core/rule/node/node-view.ts';
import { type BrowserReach, findBrowserChains, type ReadablePackage } from '../../core/surface/browser-reach.ts';
import { readTextIfThere } from '../../world/files.ts';
import { findInstalled, type InstalledPackage, openInstalled } from '../../world/installed-package.ts';

/** Where the dependencies of an artifact are looked for. */
export type DependencyPlaces = {
  /** Artifacts that are looked at together: one depends on another. */
  readonly beside: readonly Artifact[];
  /** A folder in which a client installed it for a trial; null for none. */
  readonly installed: string | null;
  /** Folder with a lockfile, which says where packages of the workspace lie; null for none. */
  readonly workspace: string | null;
};

/** What the browser entries of an artifact reach; null for forms that have none. */
export async function browserReachOf(artifact: Artifact, places: DependencyPlaces): Promise<BrowserReach | null> {
  const top = fromArtifact(artifact, places, new Map());
  return top === null ? null : findBrowserChains(top);
}

type Known = Map<string, Promise<ReadablePackage | null>>;

function fromArtifact(artifact: Artifact, places: DependencyPlaces, known: Known): ReadablePackage | null {
  const view = nodeViewOf(artifact);
  if (view === null) return null;
  return {
    ...view.pkg,
    name: artifact.manifest?.common.name ?? '',
    paths: view.paths,
    read: async (file) => view.script(file),
    find: (name) => findNear(name, places, known),
  };
}

/** Among the artifacts beside, where a trial installed it, then where a lockfile says that a package of the workspace lies. */
async function findNear(name: string, places: DependencyPlaces, known: Known): Promise<ReadablePackage | null> {
  const found = known.get(name) ?? lookNear(name, places, known);
  known.set(name, found);
  return found;
}

async function lookNear(name: string, places: DependencyPlaces, known: Known): Promise<ReadablePackage | null> {
  const twin = places.beside.find(
    (artifact) => formDefinitions[artifact.form].hasNodeEntries && artifact.manifest?.common.name === name,
  );
  if (twin !== undefined) return fromArtifact(twin, places, known);
  const found =
    (places.installed === null ? null : await findInstalled(name, places.installed)) ??
    (places.workspace === null ? null : await lockedPackage(name, places.workspace));
  return found === null ? null : fromInstalled(found, places, known);
}

/** A package that package-lock.json links to a folder of the workspace (package-lock.json documentation, "packages"). */
async function lockedPackage(name: string, folder: string): Promise<InstalledPackage | null> {
  const text = await readTextIfThere(path.join(folder, 'package-lock.json'));
  if (text === null) return null;
  const entry = objectOf(objectOf(readManifest(text)['packages'])[`node_modules/${name}`]);
  const resolved = entry['link'] === true ? textOf(entry['resolved']) : null;
  if (resolved === null || resolved.includes('..') || path.isAbsolute(resolved)) return null;
  return openInstalled(path.join(folder, resolved));
}

function fromInstalled(pkg: InstalledPackage, places: DependencyPlaces, known: Known): ReadablePackage {
  const manifest = readManifest(pkg.manifestText);
  const inside = new Set(pkg.paths);
  return {
    manifest,
    name: textOf(manifest['name']) ?? path.basename(pkg.folder),
    paths: pkg.paths,
    has: (file) => inside.has(file),
    nested: (folder) => {
      if (folder === '') return manifest;
      const text = pkg.nestedManifest(folder);
      return text === null ? null : readManifest(text);
    },
    read: async (file) => (inside.has(file) && /\.[cm]?js$/.test(file) ? readScript(await pkg.readText(file)) : null),
    find: async (name) => {
      // What happens to be installed in a workspace is in no other clone of it.
      const nearest = places.installed === null ? null : await findInstalled(name, pkg.folder);
      return nearest === null ? findNear(name, places, known) : fromInstalled(nearest, places, known);
    },
  };
}

function readManifest(text: string): PackageJson {
  try {
    return parsePackageJson(text, 'package.json');
  } catch (error) {
    if (!isBevelstoneError(error, 'MANIFEST_INVALID')) throw error;
    return {};
  }
}
