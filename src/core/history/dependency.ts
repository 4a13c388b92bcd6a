import { BevelstoneError } from '../error/bevelstone-error.ts';
import { isNormal } from '../version/version.ts';
import type { Weight } from '../version/weight.ts';

/** Why one package of the workspace needs another. */
export type DependencyKind = 'run' | 'build' | 'peer' | 'development';

/** One package of the workspace that another one's manifest names; packages by their index. */
export type DependencyEdge = {
  readonly from: number;
  readonly to: number;
  readonly kind: DependencyKind;
  /** As the manifest writes it: `^1.2.0`, `>=1.2,<2`, `workspace:^`. */
  readonly range: string;
  /** Whether the dependency's interface is part of the dependant's own. */
  readonly isReExported: boolean;
  /** Whether a version of the dependency is inside the range. */
  readonly accepts: (version: string) => boolean;
  /** Whether the range can stay as it is: it may not stay on a prerelease when the version is a stable one. */
  readonly takes: (version: string) => boolean;
};

/** Whether a range must be raised although it takes the version: a stable one, and a range on a prerelease (step 16). */
export function leavesPrerelease(range: string, version: string): boolean {
  return isNormal(version) && namesPrerelease(range);
}

/** Whether a range names a prerelease: `^2.0.0-beta.1`. */
export function namesPrerelease(range: string): boolean {
  return /\d-[0-9A-Za-z]|\d(?:a|b|rc)\d/.test(range);
}

/** What follows for a dependant from a dependency's new version (docs/design/versions.md, step 16). */
export function inducedWeight(edge: DependencyEdge, dependency: Weight): Weight {
  if (edge.kind === 'development') return 'none';
  return edge.kind === 'peer' || edge.isReExported ? dependency : 'patch';
}

/**
 * The packages so ordered that each comes after what it needs to run, to build or as a peer; otherwise as given.
 * @throws DEPENDENCY_CIRCLE naming the circle.
 */
export function orderByDependency(names: readonly string[], edges: readonly DependencyEdge[]): number[] {
  const needs = names.map((): number[] => []);
  for (const { from, to, kind } of edges) if (kind !== 'development') needs[from]?.push(to);
  const ordered: number[] = [];
  const done = new Set<number>();
  /** The way to the package that is visited, in its order. */
  const trail = new Set<number>();
  const visit = (index: number): void => {
    if (done.has(index)) return;
    if (trail.has(index)) {
      const way = [...trail];
      throw circle([...way.slice(way.indexOf(index)), index].map((each) => names[each] ?? ''));
    }
    trail.add(index);
    for (const need of needs[index] ?? []) visit(need);
    trail.delete(index);
    done.add(index);
    ordered.push(index);
  };
  for (const index of names.keys()) visit(index);
  return ordered;
}

function circle(names: readonly string[]): BevelstoneError {
  return new BevelstoneError('DEPENDENCY_CIRCLE', {
    message: `dependency cycle: ${names.join(' needs ')}`,
    why: 'there is no order in which they could be released',
    fix: 'Remove one of these dependencies, or make it a development dependency if only tests use it',
  });
}
