import { joinPath, parentOf } from '../contents/inner-path.ts';
import type { PurlType } from '../ecosystem/definition.ts';
import { ecosystemDefinitions } from '../ecosystem/definitions.ts';
import { BevelstoneError } from '../error/bevelstone-error.ts';
import type { ManifestDependency, PackageManifest } from '../manifest/package-manifest.ts';
import type { Ecosystem } from '../name/ecosystem.ts';
import { formatBytes } from '../text/bytes.ts';
import type { LimitsConfig } from '../text/limits.ts';
import { GraphStore } from './graph-store.ts';
import { formatOf, isUnknownLockfile } from './lockfile/formats.ts';
import {
  type DependencyReading,
  kindOf,
  type LockedPackage,
  lockedPackage,
  memberFolder,
  type Need,
  needsIn,
  type ReadingContext,
} from './lockfile/reading.ts';
import { openProblem } from './open-manifest.ts';
import { type DependencyKind, dependencyKinds, type SbomPackage, type SbomRelation } from './sbom.ts';

/** A manifest somewhere in the workspace. */
export type FoundManifest = {
  readonly path: string;
  readonly ecosystem: Ecosystem;
  readonly manifest: PackageManifest;
};

/** A package of the workspace: first-party, whatever a lockfile says. */
export type OwnPackage = {
  readonly version: string | null;
  readonly licence: string | null;
  readonly type: PurlType;
  /** From the workspace's root. */
  readonly folder: string;
};

/** What the dependencies of one package are found in. Paths are from the workspace's root. */
export type DependencyInput = {
  /** Folder of the package, '' for the root. */
  readonly folder: string;
  /** Folders of the workspace's other packages, whose needs are their own. */
  readonly otherFolders: readonly string[];
  /** Packages of the workspace by the names that manifests use. */
  readonly own: ReadonlyMap<string, OwnPackage>;
  readonly paths: readonly string[];
  readonly texts: ReadonlyMap<string, string>;
  readonly manifests: readonly FoundManifest[];
  /** Manifests that could not be read, and why. */
  readonly broken?: ReadonlyMap<string, string>;
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
  /** Names that a manifest asks for and that this lockfile lacks. */
  readonly lacking: readonly string[];
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
 * its needs, the needs of other packages of the workspace that it needs, and copies of other packages inside it. A lockfile that
 * cannot be read is named in `unknown`, and the rest is found all the same.
 * @param root id of the package in the SBOM.
 */
export function findDependencies(input: DependencyInput, root: string): DependencyGraph {
  return new GraphBuilder(input, root).build();
}

/** A package whose folder is searched: the one that is asked about, and those of the workspace that it needs. */
type Owner = { readonly id: string; readonly folder: string; readonly isRoot: boolean };

class GraphBuilder {
  readonly #input: DependencyInput;
  readonly #store = new GraphStore();
  readonly #owners: Owner[];
  readonly #sources: DependencySource[] = [];
  readonly #unknown = new Set<string>();
  /** Manifests whose needs a lockfile settles, with the names that it lacks. */
  readonly #settled = new Map<string, ReadonlySet<string>>();
  /** Files above the package that were not read, and may have settled its needs. */
  readonly #unreadAbove: [string, string][] = [];

  constructor(input: DependencyInput, root: string) {
    this.#input = input;
    this.#owners = [{ id: root, folder: input.folder, isRoot: true }];
  }

  build(): DependencyGraph {
    this.#findOwners();
    for (const path of this.#input.paths.filter((path) => this.#counts(path)).sort()) this.#readFile(path);
    for (const [path, why] of this.#input.broken ?? []) if (!this.#isNamed(path)) this.#leaveInside(path, why);
    for (const path of [...this.#input.texts.keys()].sort()) this.#nameOpen(path);
    for (const owner of this.#owners)
      for (const found of this.#input.manifests)
        if (this.#holds(owner, parentOf(found.path))) this.#readManifest(owner, found);
    return {
      packages: this.#store.packages(),
      relations: this.#store.relations(),
      sources: this.#sources,
      unknown: [...this.#unknown],
    };
  }

  /** Packages of the workspace that are needed, through others as well; what those need for development is not. */
  #findOwners(): void {
    for (const owner of this.#owners) {
      for (const { path, ecosystem, manifest } of this.#input.manifests) {
        const folder = parentOf(path);
        if (!this.#holds(owner, folder) || this.#isCopy(owner, folder)) continue;
        const { purlType } = ecosystemDefinitions[ecosystem];
        for (const need of relevant(owner, needsIn(manifest))) {
          const own = this.#ownOf(purlType, need.name);
          if (own === undefined || (own.folder === owner.folder && manifest.name === need.name)) continue;
          const id = this.#addOwn(need.name, own);
          this.#store.relate(owner.id, id, kindOf(need));
          if (!this.#owners.some((known) => known.id === id))
            this.#owners.push({ id, folder: own.folder, isRoot: false });
        }
      }
    }
  }

  #ownOf(type: PurlType, name: string): OwnPackage | undefined {
    const own = this.#input.own.get(name);
    return own?.type === type ? own : undefined;
  }

  /** A file of a package's own folder, or one above it that may settle its needs. */
  #counts(path: string): boolean {
    const folder = parentOf(path);
    return this.#owners.some((owner) => this.#holds(owner, folder) || isWithin(owner.folder, folder));
  }

  /** Whether a folder belongs to a package, and to none inside it. */
  #holds({ folder: own }: Owner, folder: string): boolean {
    if (!isWithin(folder, own)) return false;
    return ![this.#input.folder, ...this.#input.otherFolders].some(
      (other) => isWithin(other, own) && other !== own && isWithin(folder, other),
    );
  }

  #isCopy({ folder: own }: Owner, folder: string): boolean {
    return vendored.test(`${folder.slice(own === '' ? 0 : own.length + 1)}/`);
  }

  #readFile(path: string): void {
    const format = formatOf(path);
    const folder = parentOf(path);
    const text = this.#input.texts.get(path);
    if (format === null) {
      if (isUnknownLockfile(path)) this.#leave(path, 'Bevelstone reads no lockfile of this kind');
      return;
    }
    if (text === undefined) return;
    const reading = this.#readText(path, text, format.read);
    if (reading === null) return;
    const taken = this.#owners.flatMap((owner) => {
      const roots = [...reading.roots].filter(([inner]) => this.#holds(owner, joinPath(folder, inner)));
      // A lockfile above that has nothing of this package is none of its sources.
      if (roots.length === 0 && !this.#holds(owner, folder)) return [];
      return [{ owner, roots }];
    });
    if (taken.length === 0) return;
    const inners = new Set(taken.flatMap(({ roots }) => roots.map(([inner]) => inner)));
    const lacking = [...inners].flatMap((inner) => this.#settle({ path, inner, reading, settles: format.settles }));
    for (const sentence of reading.unknown) this.#unknown.add(sentence);
    if (reading.packages.length > 0 || lacking.length > 0) this.#take({ path, folder, reading, taken, lacking });
  }

  #readText(path: string, text: string, read: (text: string, context: ReadingContext) => DependencyReading | null) {
    const { limits, texts } = this.#input;
    const folder = parentOf(path);
    const most = /\.ya?ml$/.test(path) ? limits.yaml : limits.lockfile;
    if (text.length > most) {
      this.#leave(path, `it has more than ${formatBytes(most)}, which limits in bevelstone.yaml may raise`);
      return null;
    }
    const context: ReadingContext = {
      file: path,
      yamlBytes: limits.yaml,
      manifests: this.#manifestsBelow(folder),
      beside: (name) => texts.get(joinPath(folder, name)) ?? null,
    };
    try {
      const reading = read(text, context);
      if (reading === null) this.#leave(path, 'it is of a version that Bevelstone does not read');
      return reading;
    } catch (error) {
      if (!(error instanceof BevelstoneError)) throw error;
      this.#leave(path, error.why);
      return null;
    }
  }

  #isNamed(path: string): boolean {
    return this.#sources.some((source) => source.path === path);
  }

  #leaveInside(path: string, why: string): void {
    if (this.#owners.some((owner) => this.#holds(owner, parentOf(path)))) this.#leave(path, why);
  }

  /** A file of the package that needs something which cannot be told from its text. */
  #nameOpen(path: string): void {
    const why = openProblem(path, this.#input.texts);
    if (why !== null) this.#leaveInside(path, why);
  }

  /** A file that was not read; one above the package counts only where nothing else settles what it needs. */
  #leave(path: string, why: string): void {
    if (!this.#owners.some((owner) => this.#holds(owner, parentOf(path)))) {
      this.#unreadAbove.push([path, why]);
      return;
    }
    this.#sources.push({ ...noSource, path, format: 'lockfile', unread: why });
    this.#unknown.add(`${path} was found and not read: ${why}`);
  }

  /** Compares a manifest with what its lockfile was written for. @returns names that the lockfile lacks. */
  #settle({
    path,
    inner,
    reading,
    settles,
  }: {
    readonly path: string;
    readonly inner: string;
    readonly reading: DependencyReading;
    readonly settles: RegExp | null;
  }): string[] {
    const folder = joinPath(parentOf(path), inner);
    const asked = reading.asked.get(inner);
    return this.#input.manifests.flatMap((found) => {
      if (
        settles === null ||
        parentOf(found.path) !== folder ||
        !settles.test(found.path.slice(folder === '' ? 0 : folder.length + 1))
      )
        return [];
      const { purlType } = ecosystemDefinitions[found.ecosystem];
      const needs = needsIn(found.manifest).filter(({ name }) => this.#ownOf(purlType, name) === undefined);
      const lacking = asked === undefined ? [] : needs.filter((need) => isLacking(need, asked)).map(({ name }) => name);
      const before = this.#settled.get(found.path);
      // Of several lockfiles for one manifest each may have what the other lacks.
      this.#settled.set(
        found.path,
        new Set(before === undefined ? lacking : lacking.filter((name) => before.has(name))),
      );
      if (lacking.length > 0)
        this.#unknown.add(`${path} does not have what ${found.path} asks for: ${lacking.join(', ')}`);
      return lacking;
    });
  }

  #take({
    path,
    folder,
    reading,
    taken,
    lacking,
  }: {
    readonly path: string;
    readonly folder: string;
    readonly reading: DependencyReading;
    readonly taken: readonly {
      readonly owner: Owner;
      readonly roots: readonly (readonly [string, readonly Need[]])[];
    }[];
    readonly lacking: readonly string[];
  }): void {
    const locked = new Map(reading.packages.map((pkg) => [pkg.key, pkg]));
    const needsOf = (key: string): readonly Need[] => {
      const member = memberFolder(key);
      if (member === null) return locked.get(key)?.needs ?? [];
      return (reading.roots.get(member) ?? []).filter(({ kind }) => kind !== 'development');
    };
    const ids = new Map<string, string>();
    const direct = new Set<string>();
    const idOf = (key: string, owner: Owner): string | undefined => {
      const known = ids.get(key);
      if (known !== undefined) return known;
      const member = memberFolder(key);
      const item = locked.get(key);
      if (member === null && item === undefined) return undefined;
      const id =
        member === null && item !== undefined
          ? this.#add(item, path, folder)
          : this.#addMember(joinPath(folder, member ?? ''), owner, path);
      if (id !== undefined) ids.set(key, id);
      return id;
    };
    for (const { owner, roots } of taken) {
      const needs = roots.flatMap(([, all]) => relevant(owner, all));
      for (const { key, kind, isIndirect } of needs) {
        const to = idOf(key, owner);
        if (to === undefined) continue;
        this.#store.relate(owner.id, to, kind);
        if (owner.isRoot && isIndirect !== true) direct.add(key);
      }
      for (const key of reach(needs, needsOf).keys()) {
        const from = idOf(key, owner);
        for (const need of from === undefined ? [] : needsOf(key)) {
          const to = idOf(need.key, owner);
          if (from !== undefined && to !== undefined) this.#store.relate(from, to, need.kind);
        }
      }
    }
    this.#count({ path, format: reading.format, lacking }, ids, direct);
  }

  #count(
    source: Pick<DependencySource, 'path' | 'format' | 'lacking'>,
    ids: ReadonlyMap<string, string>,
    direct: ReadonlySet<string>,
  ): void {
    const foreign = new Set([...ids].filter(([key]) => memberFolder(key) === null).map(([, id]) => id));
    const named = new Set([...direct].map((key) => ids.get(key)));
    const packages = [...foreign].flatMap((id) => this.#store.get(id) ?? []);
    this.#sources.push({
      ...noSource,
      ...source,
      direct: packages.filter(({ id }) => named.has(id)).length,
      indirect: packages.filter(({ id }) => !named.has(id)).length,
      withoutLicence: packages.filter(({ licence }) => licence === null).length,
      withoutDigest: packages.filter(({ digests }) => digests.length === 0).length,
    });
  }

  /** A manifest: copies of others are contained, needs that no lockfile settles stay open. */
  #readManifest(owner: Owner, { path, ecosystem, manifest }: FoundManifest): void {
    const folder = parentOf(path);
    const type = ecosystemDefinitions[ecosystem].purlType;
    const isCopy = this.#isCopy(owner, folder);
    const from = isCopy ? this.#addCopy({ owner, path, folder, type, manifest }) : owner.id;
    if (from === null) return;
    const lacking = this.#settled.get(path);
    const needs = relevant({ isRoot: owner.isRoot && !isCopy }, needsIn(manifest));
    const [own, foreign] = [
      needs.filter(({ name }) => this.#ownOf(type, name) !== undefined),
      needs.filter(({ name }) => this.#ownOf(type, name) === undefined),
    ];
    const open = foreign.filter(({ name }) =>
      lacking === undefined ? !this.#store.isKnown(type, name) : lacking.has(name),
    );
    if (open.length > 0 && lacking === undefined) this.#nameUnreadAbove(folder);
    const ids = open.map((need) => {
      const { name, range } = need;
      const version = exactVersion(range);
      const wanted = range === '' ? 'any' : range;
      if (version === null) this.#unknown.add(`${path} leaves open which version of ${name} is meant (${wanted})`);
      const comment = range === '' || version !== null ? null : `asked for as ${range}`;
      const id = this.#add(lockedPackage({ key: name, type, name, version, comment }), path, folder);
      this.#store.relate(from, id, kindOf(need));
      return id;
    });
    // A version without a lockfile says nothing of what that package needs in turn.
    if (open.some(({ range }) => exactVersion(range) !== null))
      this.#unknown.add(`${path} names what it needs itself, and no lockfile says what that needs in turn`);
    const direct = own.length + open.length;
    if (direct === 0) return;
    const withoutLicence = ids.filter((id) => this.#store.get(id)?.licence === null).length;
    const format = open.length === 0 ? 'workspace' : 'manifest';
    this.#sources.push({ ...noSource, path, format, direct, withoutLicence, withoutDigest: direct });
  }

  #nameUnreadAbove(folder: string): void {
    for (const [path, why] of this.#unreadAbove) {
      if (!isWithin(folder, parentOf(path)) || this.#isNamed(path)) continue;
      this.#sources.push({ ...noSource, path, format: 'lockfile', unread: why });
      this.#unknown.add(`${path} was found and not read: ${why}`);
    }
  }

  /** A copy of another package. @returns its id; null for a manifest without a name. */
  #addCopy({
    owner,
    path,
    folder,
    type,
    manifest,
  }: {
    readonly owner: Owner;
    readonly path: string;
    readonly folder: string;
    readonly type: PurlType;
    readonly manifest: PackageManifest;
  }): string | null {
    if (manifest.name === null) return null;
    const { name, version, licence } = manifest;
    const id = this.#add(
      lockedPackage({ key: path, type, name, version, licence, comment: `a copy in ${folder}` }),
      path,
      folder,
    );
    this.#store.contain(owner.id, id);
    const withoutLicence = licence === null ? 1 : 0;
    this.#sources.push({ ...noSource, path, format: 'copy', direct: 1, withoutLicence, withoutDigest: 1 });
    return id;
  }

  #addOwn(name: string, { version, licence, type }: OwnPackage): string {
    return this.#store.putOwn({ type, name, version, licence }, this.#input.organisation, []);
  }

  /** Another folder of the workspace that a lockfile leads to. */
  #addMember(folder: string, owner: Owner, path: string): string | undefined {
    if (folder === owner.folder) return owner.id;
    const found = this.#input.manifests.find((manifest) => parentOf(manifest.path) === folder);
    if (found === undefined || found.manifest.name === null) {
      this.#unknown.add(
        `${path} leads to the folder ${folder === '' ? '.' : folder}, in which no manifest names a package`,
      );
      return undefined;
    }
    const { name, version, licence } = found.manifest;
    const type = ecosystemDefinitions[found.ecosystem].purlType;
    const own = this.#ownOf(type, name);
    return own === undefined
      ? this.#store.putOwn({ type, name, version, licence }, this.#input.organisation, [found.path])
      : this.#addOwn(name, own);
  }

  #add(pkg: LockedPackage, path: string, folder: string): string {
    const own = this.#ownOf(pkg.type, pkg.name);
    if (own !== undefined) return this.#addOwn(pkg.name, own);
    if (pkg.badDigest !== null)
      this.#unknown.add(
        `${path} gives ${pkg.name} ${pkg.version ?? ''} a digest that is none: ${pkg.badDigest.slice(0, 40)}`,
      );
    const found = this.#input.installed(pkg, folder);
    const licence = pkg.licence ?? found?.licence ?? null;
    return this.#store.put(
      { ...pkg, licence },
      { foundIn: [path], supplier: found?.supplier ?? null, comment: pkg.comment },
    );
  }

  #manifestsBelow(folder: string): Map<string, PackageManifest> {
    return new Map(
      this.#input.manifests
        .filter(({ path }) => isWithin(parentOf(path), folder))
        .map(({ path, manifest }) => [parentOf(path).slice(folder === '' ? 0 : folder.length + 1), manifest]),
    );
  }
}

const noSource = { direct: 0, indirect: 0, withoutLicence: 0, withoutDigest: 0, lacking: [], unread: null };

/** What a package needs; of another one only what its users get. */
function relevant<Item extends { readonly kind: DependencyKind }>(
  { isRoot }: Pick<Owner, 'isRoot'>,
  needs: readonly Item[],
): readonly Item[] {
  return isRoot ? needs : needs.filter(({ kind }) => kind !== 'development');
}

/** Whether a lockfile lacks what a manifest asks for: the name, or another range than the one that it was written for. */
function isLacking(
  { name, range, kind, isOptional }: ManifestDependency,
  asked: ReadonlyMap<string, string | null>,
): boolean {
  const before = asked.get(name);
  if (before != null) return before !== range;
  // Peers and what is optional may be left out, and what builds a package is locked by few.
  return before === undefined && isOptional !== true && (kind === 'run' || kind === 'development');
}

/** Everything reached from the direct needs, with the strongest reason for each. */
function reach(direct: readonly Need[], needsOf: (key: string) => readonly Need[]): Map<string, DependencyKind> {
  const found = new Map<string, DependencyKind>();
  const rank = (kind: DependencyKind) => dependencyKinds.indexOf(kind);
  const waiting = [...direct].sort((a, b) => rank(b.kind) - rank(a.kind));
  for (let next = waiting.pop(); next !== undefined; next = waiting.pop()) {
    const known = found.get(next.key);
    if (known !== undefined && rank(known) <= rank(next.kind)) continue;
    found.set(next.key, next.kind);
    for (const need of needsOf(next.key))
      waiting.push({ key: need.key, kind: rank(need.kind) > rank(next.kind) ? need.kind : next.kind });
  }
  return found;
}

function exactVersion(range: string): string | null {
  return /^(?:=|==|v)?\s*(\d+(?:\.\d+)+[\w.+-]*)$/.exec(range.trim())?.[1] ?? null;
}

function isWithin(folder: string, outer: string): boolean {
  return outer === '' || folder === outer || folder.startsWith(`${outer}/`);
}
