import type { SurfaceCheck } from '../../core/surface/check.ts';
import { surfaceSection } from '../../core/surface/notes-section.ts';
import type { ReleaseFolder } from '../release-folder/built-release.ts';
import { recordSurfaces } from '../release-folder/release-sboms.ts';
import type { Workspace } from '../workspace/workspace.ts';
import { packageNamed } from './earlier-artifact.ts';

/** Writes the digests of public surfaces into the records of releases, and what changed into their notes. @returns the releases. */
export async function withSurfaces(
  workspace: Workspace,
  releases: readonly ReleaseFolder[],
  checks: readonly SurfaceCheck[],
): Promise<ReleaseFolder[]> {
  return Promise.all(
    releases.map(async (release) => {
      const own = checks.filter((check) => check.package === release.record.package);
      if (own.length === 0) return release;
      const differences = own.flatMap(({ compared }) => compared?.judgement.counted ?? []);
      const isNamed = packageNamed(workspace, release.record.package)?.config.surface.notes === true;
      return recordSurfaces(release, {
        digests: new Map(own.flatMap(({ artifact, digest }) => (digest === null ? [] : [[artifact, digest]]))),
        section: isNamed ? surfaceSection(differences, 3) : null,
      });
    }),
  );
}
