import { type DependencyEdge, orderByDependency } from '../history/dependency.ts';
import { formatPreview } from '../version/preview.ts';
import type { VersionTag } from '../version/tag-pattern.ts';
import { coreOf } from '../version/version.ts';

/** What is built, in which order. Packages by their place in the workspace. */
export type BuildPlan = {
  readonly versions: ReadonlyMap<number, string>;
  readonly order: readonly number[];
  /** The packages that one needs at run time, when it is built, or as a peer. */
  readonly needs: (index: number) => readonly number[];
};

/** A package that may be built. */
export type BuildCandidate = {
  readonly index: number;
  readonly next: string | null;
  readonly last: VersionTag | null;
  readonly changes: { readonly length: number };
};

/** What a build is made of. */
export type BuildQuestion = {
  /** Names of all packages of the workspace, in their order. */
  readonly names: readonly string[];
  readonly candidates: readonly BuildCandidate[];
  readonly edges: readonly DependencyEdge[];
  readonly commit: string;
  /** Version of a first release. */
  readonly first: string;
  /** Whether the working tree is built as it is, as a preview. */
  readonly uncommitted: boolean;
};

/**
 * What is built: packages with a next version, and those whose last release is this very commit; of a working tree all.
 * @throws DEPENDENCY_CIRCLE
 */
export function planBuild(question: BuildQuestion): BuildPlan {
  const { names, candidates, edges, uncommitted } = question;
  const versions = new Map(
    candidates.flatMap((candidate): [number, string][] => {
      const version = uncommitted ? uncommittedVersion(candidate, question) : versionHere(candidate, question.commit);
      return version === null ? [] : [[candidate.index, version]];
    }),
  );
  return {
    versions,
    order: orderByDependency(names, edges).filter((index) => versions.has(index)),
    needs: (index) => edges.filter(({ from, kind }) => from === index && kind !== 'development').map(({ to }) => to),
  };
}

function versionHere({ next, last }: BuildCandidate, commit: string): string | null {
  if (next !== null) return next;
  return last !== null && last.commit === commit ? last.version : null;
}

/** Marked so that it is not taken for a release, and sorting below every one (docs/design/versions.md, step 21). */
function uncommittedVersion({ next, last, changes }: BuildCandidate, { commit, first }: BuildQuestion): string {
  const { major, minor, patch } = coreOf(next ?? last?.version ?? first);
  const core = `${major}.${minor}.${next === null && last !== null ? patch + 1 : patch}`;
  return formatPreview({ core, label: 'uncommitted', commits: changes.length, commit, dirty: true });
}
