import { type DependencyKind, dependencyKinds, type Sbom } from './sbom.ts';

/**
 * Why each package is needed, seen from what the SBOM is about: a chain is as strong as its weakest need, and of several chains
 * the strongest counts. What a development tool needs to run is needed for development. A package that is contained is not
 * only needed to build or to develop, so it has no kind.
 */
export function reachKinds({ subjects, relations }: Pick<Sbom, 'subjects' | 'relations'>): Map<string, DependencyKind> {
  const needs = new Map<string, { to: string; kind: DependencyKind }[]>();
  for (const { from, to, type } of relations) {
    if (type === 'contains' || type === 'generated-from') continue;
    needs.set(from, [...(needs.get(from) ?? []), { to, kind: type }]);
  }
  const rank = (kind: DependencyKind) => dependencyKinds.indexOf(kind);
  const found = new Map<string, DependencyKind>();
  const waiting = subjects.flatMap((id) => needs.get(id) ?? []);
  for (let next = waiting.pop(); next !== undefined; next = waiting.pop()) {
    const known = found.get(next.to);
    if (known !== undefined && rank(known) <= rank(next.kind)) continue;
    found.set(next.to, next.kind);
    for (const { to, kind } of needs.get(next.to) ?? [])
      waiting.push({ to, kind: rank(kind) > rank(next.kind) ? kind : next.kind });
  }
  for (const { from, to, type } of relations) if (type === 'contains' && subjects.includes(from)) found.delete(to);
  return found;
}
