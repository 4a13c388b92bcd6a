import { groupBy } from './group-by.ts';
import { reachKinds } from './reach-kinds.ts';
import { type DependencyKind, dependencyKinds, isOfWorkspace, type Sbom, type SbomPackage } from './sbom.ts';

/** A line of the tree of what is needed. */
export type OverviewRow = {
  readonly pkg: SbomPackage;
  /** Why what stands above it needs it. */
  readonly kind: DependencyKind;
  readonly depth: number;
  /** It stands further up with all that it needs. */
  readonly isAgain: boolean;
  readonly isOwn: boolean;
};

/** What is not known of some packages, and why. */
export type OpenFact = {
  readonly what: 'licence' | 'version' | 'digest';
  readonly why: string;
  readonly names: readonly string[];
};

/** An SBOM sorted for people. */
export type SbomOverview = {
  readonly subjects: readonly SbomPackage[];
  readonly artifacts: readonly SbomPackage[];
  readonly commit: string | null;
  readonly tree: readonly OverviewRow[];
  /** Copies of other people's code, and packages that a build folded in. */
  readonly contained: readonly SbomPackage[];
  /** What is listed and needed by nothing. */
  readonly loose: readonly SbomPackage[];
  readonly firstParty: readonly SbomPackage[];
  readonly thirdParty: readonly SbomPackage[];
  /** Of third-party packages, the most frequent first; null for unknown ones, which come last. */
  readonly licences: readonly { readonly licence: string | null; readonly names: readonly string[] }[];
  /** How many third-party packages are needed for what. */
  readonly kinds: readonly { readonly kind: DependencyKind | 'contained'; readonly count: number }[];
  readonly open: readonly OpenFact[];
  readonly unknown: readonly string[];
};

/** Sorts what an SBOM says by what people ask of it. */
export function overviewOf(sbom: Sbom): SbomOverview {
  const byId = new Map(sbom.packages.map((pkg) => [pkg.id, pkg]));
  const subjects = sbom.subjects.flatMap((id) => byId.get(id) ?? []);
  const suppliers = new Set(subjects.map(({ supplier }) => supplier).filter((name) => name !== null));
  const isOwn = (pkg: SbomPackage) => isOfWorkspace(pkg) || (pkg.supplier !== null && suppliers.has(pkg.supplier));
  const inner = sbom.relations.filter(({ from, type }) => type === 'contains' && sbom.subjects.includes(from));
  const contained = inner.flatMap(({ to }) => {
    const pkg = byId.get(to);
    return pkg === undefined || pkg.role !== 'dependency' ? [] : [pkg];
  });
  const { tree, seen } = treeOf(sbom, byId, isOwn);
  for (const { id } of contained) seen.add(id);
  const dependencies = sbom.packages.filter(({ role }) => role === 'dependency');
  const thirdParty = dependencies.filter((pkg) => !isOwn(pkg));
  const source = sbom.packages.find(({ role }) => role === 'source');
  return {
    subjects,
    artifacts: sbom.packages.filter(({ role }) => role === 'artifact'),
    commit: source?.version ?? null,
    tree,
    contained,
    loose: dependencies.filter(({ id }) => !seen.has(id)),
    firstParty: dependencies.filter(isOwn),
    thirdParty,
    licences: licencesOf(thirdParty),
    kinds: kindsOf(sbom, thirdParty, contained),
    open: openFacts(thirdParty),
    unknown: sbom.unknown,
  };
}

/** Every need below the subjects, each package with its own needs once. Without recursion: an SBOM from outside may be one chain. */
function treeOf(
  sbom: Sbom,
  byId: ReadonlyMap<string, SbomPackage>,
  isOwn: (pkg: SbomPackage) => boolean,
): { readonly tree: OverviewRow[]; readonly seen: Set<string> } {
  const needs = new Map<string, { to: string; kind: DependencyKind }[]>();
  for (const { from, to, type } of sbom.relations) {
    if (type === 'contains' || type === 'generated-from') continue;
    const list = needs.get(from);
    if (list === undefined) needs.set(from, [{ to, kind: type }]);
    else list.push({ to, kind: type });
  }
  const rank = (kind: DependencyKind) => dependencyKinds.indexOf(kind);
  const nameOf = (id: string) => byId.get(id)?.name ?? '';
  // Last comes first off the stack.
  const sorted = (id: string) =>
    [...(needs.get(id) ?? [])].sort((a, b) => rank(b.kind) - rank(a.kind) || (nameOf(a.to) < nameOf(b.to) ? 1 : -1));
  const seen = new Set<string>();
  const tree: OverviewRow[] = [];
  const waiting = [...sbom.subjects].reverse().flatMap((id) => sorted(id).map((need) => ({ ...need, depth: 0 })));
  for (let next = waiting.pop(); next !== undefined; next = waiting.pop()) {
    const { to, kind, depth } = next;
    const pkg = byId.get(to);
    if (pkg === undefined) continue;
    const below = sorted(to);
    const isAgain = seen.has(to) && below.length > 0;
    tree.push({ pkg, kind, depth, isAgain, isOwn: isOwn(pkg) });
    if (!seen.has(to)) for (const need of below) waiting.push({ ...need, depth: depth + 1 });
    seen.add(to);
  }
  return { tree, seen };
}

function licencesOf(packages: readonly SbomPackage[]): SbomOverview['licences'] {
  return [...groupBy(packages, ({ licence }) => licence)]
    .map(([licence, group]) => ({ licence, names: group.map(titleOf) }))
    .sort((a, b) => {
      if ((a.licence === null) !== (b.licence === null)) return a.licence === null ? 1 : -1;
      return b.names.length - a.names.length || ((a.licence ?? '') < (b.licence ?? '') ? -1 : 1);
    });
}

function kindsOf(
  sbom: Sbom,
  packages: readonly SbomPackage[],
  contained: readonly SbomPackage[],
): SbomOverview['kinds'] {
  const kinds = reachKinds(sbom);
  const inside = new Set(contained.map(({ id }) => id));
  const names = packages.map(({ id }) => (inside.has(id) ? ('contained' as const) : (kinds.get(id) ?? 'run')));
  const counts = groupBy(names, (kind) => kind);
  return ([...dependencyKinds, 'contained'] as const)
    .map((kind) => ({ kind, count: counts.get(kind)?.length ?? 0 }))
    .filter(({ count }) => count > 0);
}

function openFacts(packages: readonly SbomPackage[]): OpenFact[] {
  const facts = [
    { what: 'licence', isOpen: ({ licence }: SbomPackage) => licence === null, why: whyNoLicence },
    { what: 'version', isOpen: ({ version }: SbomPackage) => version === null, why: whyNoVersion },
    { what: 'digest', isOpen: (pkg: SbomPackage) => pkg.digests.length === 0 && !isHere(pkg), why: whyNoDigest },
  ] as const;
  return facts.flatMap(({ what, isOpen, why }) =>
    [...groupBy(packages.filter(isOpen), why)].map(([reason, group]) => ({
      what,
      why: reason,
      names: group.map(titleOf),
    })),
  );
}

function whyNoLicence({ foundIn, comment }: SbomPackage): string {
  if (comment?.startsWith('a copy in') === true) return 'its own manifest names none';
  return foundIn.length === 0 ? 'the SBOM names none' : `${foundIn[0]} names none, and no rehearsal found one`;
}

function whyNoVersion({ foundIn, comment }: SbomPackage): string {
  const asked = /asked for as ([^;]+)/.exec(comment ?? '')?.[1];
  const where = foundIn.length === 0 ? 'the SBOM' : (foundIn[0] ?? '');
  return asked === undefined ? `${where} names none` : `${where} asks for ${asked}, and no lockfile says what that is`;
}

/** A copy is among the files of the release, and a repository at a commit has the commit: neither needs a digest of an archive. */
function isHere({ comment, purl }: SbomPackage): boolean {
  return comment?.startsWith('a copy in') === true || purl?.includes('vcs_url=') === true;
}

function whyNoDigest({ foundIn, comment }: SbomPackage): string {
  const several = /(\d+) files with digests of their own/.exec(comment ?? '')?.[0];
  if (several !== undefined) return 'each of its files has its own';
  return foundIn.length === 0 ? 'the SBOM names none' : `${foundIn[0]} names none`;
}

/** Name and version of a package. */
export function titleOf({ name, version }: SbomPackage): string {
  return version === null ? name : `${name} ${version}`;
}
