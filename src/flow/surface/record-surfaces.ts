import type { SurfaceCheck } from '../../core/surface/check.ts';
import type { ReleaseFolder } from '../release-folder/built-release.ts';
import { recordSurfaces } from '../release-folder/release-sboms.ts';

/** Writes the digests of public surfaces into the records of releases. @returns the releases with them. */
export async function withSurfaces(
  releases: readonly ReleaseFolder[],
  checks: readonly SurfaceCheck[],
): Promise<ReleaseFolder[]> {
  return Promise.all(
    releases.map(async (release) => {
      const own = checks.filter((check) => check.package === release.record.package);
      const digests = new Map(
        own.flatMap(({ artifact, digest }) => (digest === null ? [] : [[artifact, digest] as const])),
      );
      return digests.size === 0 ? release : recordSurfaces(release, digests);
    }),
  );
}
