import { joinPath, parentOf } from '../contents/inner-path.ts';
import type { PurlType } from '../ecosystem/definition.ts';
import { ecosystemDefinitions } from '../ecosystem/definitions.ts';
import type { PackageManifest } from '../manifest/package-manifest.ts';
import type { Ecosystem } from '../name/ecosystem.ts';
import { formatBytes } from '../text/bytes.ts';
import type { LimitsConfig } from '../text/limits.ts';
import { formatOf, isUnknownLockfile } from './lockfile/formats.ts';
import {
  type DependencyReading,
  type LockedPackage,
  lockedPackage,
  type Need,
  type ReadingContext,
} from './lockfile/reading.ts';
import { formatPurl } from './purl.ts';
import { type DependencyKind, dependencyKinds, type SbomPackage, type SbomRelation, sbomPackage } from './sbom.ts';

/** A manifest somewhere in the workspace. */
export type FoundManifest = {
  readonly path: string;
  readonly ecosystem: Ecosystem;
  readonly manifest: PackageManifest;
};

/** What the dependencies of one package are found in. Paths are from the workspace's root. */
export type DependencyInput = {
  /** Folder of the package, '' for the root. */
  readonly folder: string;
  /** Folders of the workspace's other packages, whose needs are their own. */
  readonly otherFolders: readonly string[];
  /** Packages of the workspace by the names that manifests use: first-party, whatever a lockfile says. */
  readonly own: ReadonlyMap<string, { readonly version: string | null; readonly licence: string | null }>;
  readonly paths: readonly string[];
  readonly texts: ReadonlyMap<string, string>;
  readonly manifests: readonly FoundManifest[];
  readonly organisation: string | null;
  /** What is too large to be read, in bytes. */
  readonly limits: Pick<LimitsConfig, 'yaml' | 'lockfile'>;
  /** What an installed copy says. */
  readonly installed: (
    pkg: LockedPackage,
    folder: string,
  ) => { readonly licence: string | null; readonly supplier: string | null } | null;
};

/** One line of the table at the end of `sbom write`. */
export type DependencySource = {
  readonly path: string;
  readonly format: string;
  readonly direct: number;
  readonly indirect: number;
  readonly withoutLicence: number;
  readonly withoutDigest: number;
  /** Why it was found and not read; null when it was. */
  readonly unread: string | null;
};

/** Dependencies of a package; relations begin at `root` or at another dependency. */
export type DependencyGraph = {
  readonly packages: readonly SbomPackage[];
  readonly relations: readonly SbomRelation[];
  readonly sources: readonly DependencySource[];
  readonly unknown: readonly string[];
};

/** Folders in which people keep copies of other people's code. */
const vendored = /(?:^|\/)(?:vendor|vendored|_vendor|third[_-]?party|3rd[_-]?party|external|extern)\//i;

/**
 * Finds all that a package depends on: lockfiles and manifests in its folder at any depth, the lockfile above it that settles
 * its needs, and copies of other packages inside it.
 * @param root id of the package in the SBOM.
 */
export function findDependencies(input: DependencyInput, root: string): DependencyGraph {
  return new GraphBuilder(input, root).build();
}

class GraphBuilder {
  readonly #input: DependencyInput;
  readonly #root: string;
  readonly #packages = new Map<string, SbomPackage>();
  readonly #relations = new Map<string, SbomRelation>();
  readonly #sources: DependencySource[] = [];
  readonly #unknown = new Set<string>();
  /** Manifests whose needs a lockfile settles. */
  readonly #settled = new Set<string>();

  constructor(input: DependencyInput, root: string) {
    [this.#input, this.#root] = [input, root];
  }

  build(): DependencyGraph {
    const { paths } = this.#input;
    for (const path of paths.filter((path) => this.#counts(path)).sort()) this.#readFile(path);
    for (const found of this.#input.manifests) this.#readManifest(found);
    return {
      packages: [...this.#packages.values()].sort((a, b) => (a.id < b.id ? -1 : 1)),
      relations: [...this.#relations.values()],
      sources: this.#sources,
      unknown: [...this.#unknown],
    };
  }

  /** A file of the package's own folder, or one above it that may settle its needs. */
  #counts(path: string): boolean {
    const folder = parentOf(path);
    return this.#isInside(folder) || isWithin(this.#input.folder, folder);
  }

  #isInside(folder: string): boolean {
    const { folder: own, otherFolders } = this.#input;
    if (!isWithin(folder, own)) return false;
    return !otherFolders.some((other) => isWithin(other, own) && other !== own && isWithin(folder, other));
  }

  #readFile(path: string): void {
    const format = formatOf(path);
    const folder = parentOf(path);
    const text = this.#input.texts.get(path);
    if (format === null) {
      if (isUnknownLockfile(path)) this.#leave(path, 'lockfile', 'Bevelstone reads no lockfile of this kind');
      return;
    }
    if (text === undefined) return;
    const { limits } = this.#input;
    const most = /\.ya?ml$/.test(path) ? limits.yaml : limits.lockfile;
    if (text.length > most) {
      this.#leave(path, 'lockfile', `it has more than ${formatBytes(most)}, which limits in bevelstone.yaml may raise`);
      return;
    }
    const context: ReadingContext = {
      file: path,
      yamlBytes: limits.yaml,
      manifests: this.#manifestsBelow(folder),
      beside: (name) => this.#input.texts.get(joinPath(folder, name)) ?? null,
    };
    const reading = format.read(text, context);
    if (reading === null) {
      this.#leave(path, 'lockfile', 'it is of a version that Bevelstone does not read');
      return;
    }
    const roots = [...reading.roots].filter(([inner]) => this.#isInside(joinPath(folder, inner)));
    for (const [inner] of roots) this.#settled.add(joinPath(joinPath(folder, inner), format.settles));
    // A lockfile above that has nothing of this package is none of its sources.
    if (roots.length === 0 && !this.#isInside(folder)) return;
    if (reading.packages.length === 0) return;
    this.#take({ path, folder, reading, direct: roots.flatMap(([, needs]) => needs) });
  }

  #leave(path: string, format: string, why: string): void {
    if (!this.#isInside(parentOf(path))) return;
    this.#sources.push({ path, format, direct: 0, indirect: 0, withoutLicence: 0, withoutDigest: 0, unread: why });
    this.#unknown.add(`${path} was found and not read: ${why}`);
  }

  #take({
    path,
    folder,
    reading,
    direct,
  }: {
    readonly path: string;
    readonly folder: string;
    readonly reading: DependencyReading;
    readonly direct: readonly Need[];
  }): void {
    const locked = new Map(reading.packages.map((pkg) => [pkg.key, pkg]));
    const ids = new Map<string, string>();
    const strongest = reach(direct, locked);
    for (const [key] of strongest) {
      const item = locked.get(key);
      if (item !== undefined) ids.set(key, this.#add(item, path, folder));
    }
    const directKeys = new Set<string>();
    for (const { key, kind } of direct) {
      const to = ids.get(key);
      if (to === undefined) continue;
      directKeys.add(key);
      this.#relate(this.#root, to, kind);
    }
    for (const key of strongest.keys()) this.#relateNeeds(locked.get(key), ids);
    for (const name of reading.unknown) this.#unknown.add(name);
    const taken = [...ids.values()].map((id) => this.#packages.get(id)).filter((item) => item !== undefined);
    this.#sources.push({
      path,
      format: reading.format,
      direct: directKeys.size,
      indirect: ids.size - directKeys.size,
      withoutLicence: taken.filter(({ licence }) => licence === null).length,
      withoutDigest: taken.filter(({ digests }) => digests.length === 0).length,
      unread: null,
    });
  }

  #relateNeeds(item: LockedPackage | undefined, ids: ReadonlyMap<string, string>): void {
    const from = item === undefined ? undefined : ids.get(item.key);
    for (const { key, kind } of item?.needs ?? []) {
      const to = ids.get(key);
      if (from !== undefined && to !== undefined && from !== to) this.#relate(from, to, kind);
    }
  }

  /** A manifest: copies of others are contained, needs that no lockfile settles stay open. */
  #readManifest({ path, ecosystem, manifest }: FoundManifest): void {
    const folder = parentOf(path);
    if (!this.#isInside(folder)) return;
    const inner = folder.slice(this.#input.folder === '' ? 0 : this.#input.folder.length + 1);
    const type = ecosystemDefinitions[ecosystem].purlType;
    if (vendored.test(`${inner}/`) && manifest.name !== null) {
      const pkg = lockedPackage({
        key: path,
        type,
        name: manifest.name,
        version: manifest.version,
        licence: manifest.licence,
        comment: `a copy in ${folder}`,
      });
      this.#relations.set(`${this.#root} contains ${path}`, {
        from: this.#root,
        to: this.#add(pkg, path, folder),
        type: 'contains',
      });
      this.#sources.push({
        path,
        format: 'copy',
        direct: 1,
        indirect: 0,
        withoutLicence: manifest.licence === null ? 1 : 0,
        withoutDigest: 1,
        unread: null,
      });
    }
    const own = manifest.dependencies.filter(({ name }) => this.#input.own.has(name));
    for (const { name, kind } of own) this.#relate(this.#root, this.#addOwn(type, name), kind);
    const open = this.#settled.has(path)
      ? []
      : manifest.dependencies.filter(({ name }) => !this.#input.own.has(name) && !this.#isKnown(type, name));
    const ids = open.map(({ name, range, kind }) => {
      const version = exactVersion(range);
      const wanted = range === '' ? 'any' : range;
      if (version === null) this.#unknown.add(`${path} leaves open which version of ${name} is meant (${wanted})`);
      const comment = range === '' || version !== null ? null : `asked for as ${range}`;
      const id = this.#add(lockedPackage({ key: name, type, name, version, comment }), path, folder);
      this.#relate(this.#root, id, kind);
      return id;
    });
    const direct = own.length + open.length;
    if (direct === 0) return;
    const withoutLicence = ids.filter((id) => this.#packages.get(id)?.licence === null).length;
    const format = open.length === 0 ? 'workspace' : 'manifest';
    this.#sources.push({ path, format, direct, indirect: 0, withoutLicence, withoutDigest: direct, unread: null });
  }

  /** Whether a lockfile of another shape has settled it. */
  #isKnown(type: PurlType, name: string): boolean {
    const purl = formatPurl(type, name, null);
    return [...this.#packages.values()].some(
      (pkg) => purl !== null && pkg.version !== null && pkg.purl?.startsWith(`${purl}@`) === true,
    );
  }

  #addOwn(type: PurlType, name: string): string {
    const own = this.#input.own.get(name);
    const locked = lockedPackage({
      key: name,
      type,
      name,
      version: own?.version ?? null,
      licence: own?.licence ?? null,
    });
    return this.#put(locked, {
      foundIn: [],
      supplier: this.#input.organisation,
      comment: 'a package of the same workspace',
    });
  }

  #add(pkg: LockedPackage, path: string, folder: string): string {
    const found = this.#input.installed(pkg, folder);
    const licence = pkg.licence ?? found?.licence ?? null;
    return this.#put({ ...pkg, licence }, { foundIn: [path], supplier: found?.supplier ?? null, comment: pkg.comment });
  }

  #put(
    { type, name, version, licence, digests, location }: LockedPackage,
    { foundIn, supplier, comment }: Pick<SbomPackage, 'foundIn' | 'supplier' | 'comment'>,
  ): string {
    const id = this.#idOf(type, name, version);
    const known = this.#packages.get(id);
    const fresh = sbomPackage({
      id,
      role: 'dependency',
      name,
      version,
      purl: formatPurl(type, name, version),
      licence,
      supplier,
      digests,
      location: publicLocation(location),
      foundIn,
      comment,
    });
    this.#packages.set(id, known === undefined ? fresh : unite(known, fresh));
    return id;
  }

  #idOf(type: PurlType, name: string, version: string | null): string {
    return `${type}-${name}${version === null ? '' : `-${version}`}`.replace(/[^A-Za-z0-9.-]+/g, '-');
  }

  /** Of several reasons for one need the strongest counts. */
  #relate(from: string, to: string, type: DependencyKind): void {
    const key = `${from} ${to}`;
    const known = this.#relations.get(key);
    if (
      known !== undefined &&
      known.type !== 'contains' &&
      known.type !== 'generated-from' &&
      dependencyKinds.indexOf(known.type) <= dependencyKinds.indexOf(type)
    )
      return;
    this.#relations.set(key, { from, to, type });
  }

  #manifestsBelow(folder: string): Map<string, PackageManifest> {
    return new Map(
      this.#input.manifests
        .filter(({ path }) => isWithin(parentOf(path), folder))
        .map(({ path, manifest }) => [parentOf(path).slice(folder === '' ? 0 : folder.length + 1), manifest]),
    );
  }
}

/** Everything reached from the direct needs, with the strongest reason for each. */
function reach(direct: readonly Need[], locked: ReadonlyMap<string, LockedPackage>): Map<string, DependencyKind> {
  const found = new Map<string, DependencyKind>();
  const rank = (kind: DependencyKind) => dependencyKinds.indexOf(kind);
  const waiting = [...direct].sort((a, b) => rank(b.kind) - rank(a.kind));
  for (let next = waiting.pop(); next !== undefined; next = waiting.pop()) {
    const known = found.get(next.key);
    if (known !== undefined && rank(known) <= rank(next.kind)) continue;
    found.set(next.key, next.kind);
    for (const need of locked.get(next.key)?.needs ?? [])
      waiting.push({ key: need.key, kind: rank(need.kind) > rank(next.kind) ? need.kind : next.kind });
  }
  return found;
}

function unite(a: SbomPackage, b: SbomPackage): SbomPackage {
  return {
    ...a,
    licence: a.licence ?? b.licence,
    supplier: a.supplier ?? b.supplier,
    location: a.location ?? b.location,
    comment: a.comment ?? b.comment,
    digests: [
      ...new Map([...a.digests, ...b.digests].map((digest) => [digest.algorithm + digest.value, digest])).values(),
    ],
    foundIn: [...new Set([...a.foundIn, ...b.foundIn])],
  };
}

/** An address may hold a user and a password, which an SBOM must not show. */
function publicLocation(location: string | null): string | null {
  if (location === null || !URL.canParse(location)) return null;
  const url = new URL(location);
  [url.username, url.password] = ['', ''];
  return /^(?:https?|git\+\w+|ssh|git):$/.test(url.protocol) ? url.href : null;
}

function exactVersion(range: string): string | null {
  return /^(?:=|==|v)?\s*(\d+(?:\.\d+)+[\w.+-]*)$/.exec(range.trim())?.[1] ?? null;
}

function isWithin(folder: string, outer: string): boolean {
  return outer === '' || folder === outer || folder.startsWith(`${outer}/`);
}
