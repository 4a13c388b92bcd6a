import { isBevelstoneError } from '../error/bevelstone-error.ts';
import { parseSbom, readSbom } from './formats.ts';
import type { Sbom, SbomPackage } from './sbom.ts';

/** An SBOM that lies inside an artifact, such as those of PEP 770 ("The .dist-info/sboms directory"). */
export type InnerSbom = { readonly artifact: string; readonly path: string; readonly text: string };

/**
 * The SBOM with bundled packages added: those that SBOMs inside the artifacts list. A package that the SBOM has already
 * is not repeated; an unreadable inner SBOM is added to `unknown`.
 * @param root the package that contains them.
 */
export function withBundled(sbom: Sbom, root: string, inner: readonly InnerSbom[]): Sbom {
  const packages = new Map(sbom.packages.map((pkg) => [pkg.id, pkg]));
  const ids = new Map(sbom.packages.map((pkg) => [identityOf(pkg), pkg.id]));
  const contained = new Set<string>();
  const unknown: string[] = [];
  for (const { artifact, path, text } of inner) {
    const found = packagesIn(text, path, packages.get(root)?.purl ?? null);
    if (found === null)
      unknown.push(`${path} in ${artifact} could not be read as an SBOM; the packages it lists are missing here`);
    for (const pkg of found ?? []) {
      const id = ids.get(identityOf(pkg)) ?? freeId(pkg, packages);
      ids.set(identityOf(pkg), id);
      const before = packages.get(id) ?? { ...pkg, id, role: 'dependency', files: null, foundIn: [] };
      packages.set(id, { ...before, foundIn: [...new Set([...before.foundIn, `${artifact}/${path}`])] });
      if (id !== root) contained.add(id);
    }
  }
  return {
    ...sbom,
    packages: [...packages.values()],
    relations: [...sbom.relations, ...[...contained].map((to) => ({ from: root, to, type: 'contains' as const }))],
    unknown: [...sbom.unknown, ...unknown],
  };
}

/** An SBOM about the package itself says what it needs, which is known already, and nothing of what is bundled. */
function packagesIn(text: string, path: string, own: string | null): SbomPackage[] | null {
  try {
    const sbom = readSbom(parseSbom(text, path));
    if (own !== null && sbom.packages.some(({ id, purl }) => sbom.subjects.includes(id) && purl === own)) return [];
    return sbom.packages.filter(({ id, role }) => role === 'dependency' && !sbom.subjects.includes(id));
  } catch (error) {
    if (isBevelstoneError(error, 'SBOM_UNREADABLE')) return null;
    throw error;
  }
}

function identityOf({ role, purl, name, version }: SbomPackage): string {
  return purl ?? `${role} ${name} ${version ?? ''}`;
}

function freeId({ name, version }: SbomPackage, taken: ReadonlyMap<string, SbomPackage>): string {
  const plain = `bundled-${name}-${version ?? ''}`.replace(/[^A-Za-z0-9.]+/g, '-').replace(/-+$/, '');
  let id = plain;
  for (let count = 2; taken.has(id); count++) id = `${plain}-${count}`;
  return id;
}
