import type { PurlType } from '../ecosystem/definition.ts';
import { type LockedPackage, lockedPackage } from './lockfile/reading.ts';
import { publicLocation } from './public-location.ts';
import { purlOf } from './purl.ts';
import {
  type DependencyKind,
  dependencyKinds,
  type SbomPackage,
  type SbomRelation,
  sbomPackage,
  workspaceComment,
} from './sbom.ts';

/** Packages and relations as they are found, each package once. */
export class GraphStore {
  readonly #packages = new Map<string, SbomPackage>();
  readonly #relations = new Map<string, SbomRelation>();
  /** Ids by what they stand for. */
  readonly #ids = new Map<string, string>();
  readonly #named = new Set<string>();

  /** Adds a package, or what else is known of one that is there. @returns its id. */
  put(
    { type, name, version, qualifiers, licence, digests, location }: LockedPackage,
    { foundIn, supplier, comment }: Pick<SbomPackage, 'foundIn' | 'supplier' | 'comment'>,
  ): string {
    const id = this.#idOf({ type, name, version, qualifiers });
    const known = this.#packages.get(id);
    if (version !== null) this.#named.add(`${type} ${name}`);
    const fresh = sbomPackage({
      id,
      role: 'dependency',
      name,
      version,
      purl: purlOf({ type, name, version, qualifiers }),
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

  /** Adds a package of the workspace. @returns its id. */
  putOwn(
    own: Pick<LockedPackage, 'type' | 'name' | 'version' | 'licence'>,
    supplier: string | null,
    foundIn: readonly string[],
  ): string {
    const pkg = lockedPackage({ key: own.name, ...own });
    return this.put(pkg, { foundIn, supplier, comment: workspaceComment });
  }

  /** Of several reasons for one need the strongest counts. */
  relate(from: string, to: string, type: DependencyKind): void {
    if (from === to) return;
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

  contain(from: string, to: string): void {
    this.#relations.set(`${from} contains ${to}`, { from, to, type: 'contains' });
  }

  /** Whether a version of it has been found. */
  isKnown(type: PurlType, name: string): boolean {
    return this.#named.has(`${type} ${name}`);
  }

  get(id: string): SbomPackage | undefined {
    return this.#packages.get(id);
  }

  /** In the order of their ids. */
  packages(): SbomPackage[] {
    return [...this.#packages.values()].sort((a, b) => (a.id < b.id ? -1 : 1));
  }

  relations(): SbomRelation[] {
    return [...this.#relations.values()];
  }

  /** Names that differ in other signs only get ids of their own. */
  #idOf({ type, name, version, qualifiers }: Pick<LockedPackage, 'type' | 'name' | 'version' | 'qualifiers'>): string {
    const more = Object.entries(qualifiers).flat();
    const identity = [type, name, version ?? '', ...more].join('\0');
    const known = this.#ids.get(identity);
    if (known !== undefined) return known;
    const own = [qualifiers['classifier'], qualifiers['platform']].filter((part) => part !== undefined);
    const parts = [type, name, ...(version === null ? [] : [version]), ...own];
    const plain = parts.join('-').replace(/[^A-Za-z0-9.-]+/g, '-');
    let id = plain;
    for (let count = 2; this.#packages.has(id); count++) id = `${plain}-${count}`;
    this.#ids.set(identity, id);
    return id;
  }
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
