import { publicAddresses } from '../../core/input/input-address.ts';
import { formatPurl } from '../../core/sbom/purl.ts';
import { type SbomPackage, sbomPackage } from '../../core/sbom/sbom.ts';
import type { GitPlace } from '../../world/git/run-git.ts';
import { patchesAt } from '../inputs/inputs-at.ts';
import type { Package } from '../workspace/workspace.ts';

/** The third-party sources that a package is built from, with the patches that a commit has for them. */
export async function inputPackages(place: GitPlace, commit: string, pkg: Package): Promise<SbomPackage[]> {
  return (await patchesAt(place, commit, pkg)).map(({ input, patches }) =>
    sbomPackage({
      id: `input-${input.name.replace(/[^A-Za-z0-9.]+/g, '-')}`,
      role: 'dependency',
      name: input.name,
      version: input.version,
      purl: formatPurl('generic', input.name, input.version),
      licence: input.licence,
      location: publicAddresses(input)[0] ?? null,
      digests: input.sha256 === null ? [] : [{ algorithm: 'SHA-256', value: input.sha256 }],
      foundIn: ['bevelstone.yaml'],
      comment: `its sources are built in, below ${input.into}`,
      patches: patches.map(({ file, sha1, sha256, bytes }) => ({
        file,
        sha1,
        sha256,
        base64: Buffer.from(bytes).toString('base64'),
      })),
    }),
  );
}
