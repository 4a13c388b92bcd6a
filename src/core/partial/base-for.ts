import type { LedgerRelease } from '../ledger/fold.ts';
import { compareVersions, isNormal } from '../version/version.ts';

/**
 * The release that a partial artifact is put on: the version that is wanted or, for `last`, the highest one below its own that
 * was not given up or taken back. One that is not a prerelease is never put on a prerelease.
 * @returns null when the ledger has none.
 */
export function baseFor(
  known: readonly LedgerRelease[],
  { package: name, version, wanted }: { readonly package: string; readonly version: string; readonly wanted: string },
): LedgerRelease | null {
  const own = known.filter((release) => release.package === name && !release.isAbandoned);
  if (wanted !== 'last') return own.find((release) => release.version === wanted) ?? null;
  const below = own.filter(
    (release) =>
      release.withdrawals.length === 0 &&
      compareVersions(release.version, version) < 0 &&
      (isNormal(release.version) || !isNormal(version)),
  );
  return below.sort((a, b) => compareVersions(b.version, a.version))[0] ?? null;
}
