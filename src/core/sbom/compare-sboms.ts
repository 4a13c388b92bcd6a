import { purlWithoutVersion } from './purl.ts';
import type { Sbom, SbomPackage } from './sbom.ts';

/** A component as `sbom show` names it. */
export type NamedComponent = {
  readonly name: string;
  readonly version: string | null;
  readonly licence: string | null;
};

/** What changed between the SBOMs of two releases. */
export type SbomComparison = {
  readonly added: readonly NamedComponent[];
  readonly removed: readonly NamedComponent[];
  readonly upgraded: readonly { readonly name: string; readonly before: string; readonly after: string }[];
  readonly relicensed: readonly { readonly name: string; readonly before: string; readonly after: string }[];
};

/** Compares third-party components by name: added, removed, with another version, under another licence. */
export function compareSboms(before: Sbom, after: Sbom): SbomComparison {
  const [old, fresh] = [byName(before), byName(after)];
  const added: NamedComponent[] = [];
  const removed: NamedComponent[] = [];
  const upgraded: { name: string; before: string; after: string }[] = [];
  const relicensed: { name: string; before: string; after: string }[] = [];
  for (const [key, list] of fresh) {
    const others = old.get(key) ?? [];
    if (others.length === 0) for (const item of list) added.push(toNamed(item));
    else compareOne(others, list, { added, removed, upgraded, relicensed });
  }
  for (const [key, list] of old) if (!fresh.has(key)) for (const item of list) removed.push(toNamed(item));
  return { added, removed, upgraded, relicensed };
}

type Found = {
  readonly added: NamedComponent[];
  readonly removed: NamedComponent[];
  readonly upgraded: { name: string; before: string; after: string }[];
  readonly relicensed: { name: string; before: string; after: string }[];
};

function compareOne(old: readonly SbomPackage[], fresh: readonly SbomPackage[], found: Found): void {
  const versions = (list: readonly SbomPackage[]) => [...new Set(list.map(({ version }) => version ?? 'any'))].sort();
  const licences = (list: readonly SbomPackage[]) =>
    [...new Set(list.map(({ licence }) => licence ?? 'unknown'))].sort();
  const name = fresh[0]?.name ?? '';
  const [before, after] = [versions(old), versions(fresh)];
  if (before.join() !== after.join()) {
    const [gone, come] = [
      before.filter((version) => !after.includes(version)),
      after.filter((version) => !before.includes(version)),
    ];
    if (gone.length > 0 && come.length > 0)
      found.upgraded.push({ name, before: gone.join(', '), after: come.join(', ') });
    else if (come.length > 0)
      for (const item of fresh.filter(({ version }) => come.includes(version ?? 'any')))
        found.added.push(toNamed(item));
    else
      for (const item of old.filter(({ version }) => gone.includes(version ?? 'any')))
        found.removed.push(toNamed(item));
  }
  const [a, b] = [licences(old).join(', '), licences(fresh).join(', ')];
  if (a !== b) found.relicensed.push({ name, before: a, after: b });
}

function byName({ packages }: Sbom): Map<string, SbomPackage[]> {
  const found = new Map<string, SbomPackage[]>();
  for (const pkg of packages.filter(({ role }) => role === 'dependency')) {
    const key = pkg.purl === null ? pkg.name : purlWithoutVersion(pkg.purl);
    found.set(key, [...(found.get(key) ?? []), pkg]);
  }
  return found;
}

function toNamed({ name, version, licence }: SbomPackage): NamedComponent {
  return { name, version, licence };
}
