import type { Sbom, SbomPackage, SbomRelation } from './sbom.ts';

/**
 * Joins SBOMs into one: a package that several SBOMs list appears once, with the facts of all of them; a clashing id gets a
 * number; the subject of each SBOM stays a subject.
 */
export function mergeSboms(sboms: readonly Sbom[], name: string): Sbom {
  const packages = new Map<string, SbomPackage>();
  const idByIdentity = new Map<string, string>();
  const relations = new Map<string, SbomRelation>();
  const subjects = new Set<string>();
  const fresh = (id: string) => {
    let free = id;
    for (let count = 2; packages.has(free); count++) free = `${id}-${count}`;
    return free;
  };
  for (const sbom of sboms) {
    const renamed = new Map<string, string>();
    for (const pkg of sbom.packages) {
      const identity = identityOf(pkg);
      const known = idByIdentity.get(identity);
      const id = known ?? fresh(pkg.id);
      idByIdentity.set(identity, id);
      renamed.set(pkg.id, id);
      const before = packages.get(id);
      packages.set(id, before === undefined ? { ...pkg, id } : unite(before, pkg));
    }
    for (const { from, to, type } of sbom.relations) {
      const [a, b] = [renamed.get(from) ?? from, renamed.get(to) ?? to];
      if (a !== b) relations.set(`${a} ${type} ${b}`, { from: a, to: b, type });
    }
    for (const id of sbom.subjects) subjects.add(renamed.get(id) ?? id);
  }
  const [first] = sboms;
  return {
    name,
    // The youngest of them: an SBOM cannot be older than what it is made of.
    created:
      sboms
        .map(({ created }) => created)
        .sort()
        .at(-1) ?? '',
    tool: first?.tool ?? '',
    namespace: null,
    organisation: sboms.find(({ organisation }) => organisation !== null)?.organisation ?? null,
    subjects: [...subjects],
    packages: [...packages.values()],
    relations: [...relations.values()],
    unknown: [...new Set(sboms.flatMap(({ unknown }) => unknown))],
  };
}

/** Two packages are one when they have the same purl; without one, name, version and what tells bytes apart decide. */
function identityOf({ role, purl, name, version, fileName, digests }: SbomPackage): string {
  if (role === 'artifact')
    return `artifact ${fileName ?? name} ${digests.find(({ algorithm }) => algorithm === 'SHA-256')?.value ?? version}`;
  if (purl !== null && version !== null) return purl;
  return `${role === 'source' ? 'source' : 'package'} ${purl ?? name} ${version ?? ''}`;
}

function unite(a: SbomPackage, b: SbomPackage): SbomPackage {
  return {
    ...a,
    role: a.role === 'subject' || b.role === 'subject' ? 'subject' : a.role,
    licence: a.licence ?? b.licence,
    supplier: a.supplier ?? b.supplier,
    copyright: a.copyright ?? b.copyright,
    description: a.description ?? b.description,
    location: a.location ?? b.location,
    comment: a.comment ?? b.comment,
    digests: [
      ...new Map(
        [...a.digests, ...b.digests].map((digest) => [`${digest.algorithm} ${digest.value}`, digest]),
      ).values(),
    ],
    foundIn: [...new Set([...a.foundIn, ...b.foundIn])],
    files: uniteFiles(a, b),
  };
}

function uniteFiles(a: SbomPackage, b: SbomPackage): SbomPackage['files'] {
  if (a.files === null || b.files === null) return a.files ?? b.files;
  return [...new Map([...a.files, ...b.files].map((file) => [file.path, file])).values()];
}
