import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { compareVersions, isNormal } from '../../core/version/version.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import type { Context } from '../context.ts';
import { findRelease } from '../release-folder/recorded-release.ts';
import { deployOnto, type Task } from './deploy-onto.ts';
import type { Deployed, Ground } from './deploy-plan.ts';
import { artifactFor, fetchForDeployment, unpackForDeployment } from './release-files.ts';
import { deploymentNamed, readState, withSite } from './site.ts';

/**
 * Puts a release onto a target: its artifact is fetched by the digest that its tag vouches for, unpacked into a folder of its
 * own there, read again, and put into place in one step.
 * @throws DEPLOY_UNFINISHED, DEPLOY_CHANGED, DEPLOY_BUSY, DEPLOY_BLOCKED, DEPLOY_FAILED, DEPLOY_NO_ARTIFACT,
 * TARGET_UNREACHABLE, TARGET_REFUSED, RELEASE_NOT_RECORDED.
 */
export async function deployRelease(
  context: Context,
  { repository, workspace, known }: Ground,
  { options, confirm }: Pick<Task, 'options' | 'confirm'>,
): Promise<Deployed> {
  const asked = options.release === null ? null : findRelease(known, options.release);
  const { name, config } = deploymentNamed(workspace, { name: options.to, packageName: asked?.package ?? null });
  const release = releaseFor(known, { asked: options.release, packageName: config.package, name });
  const artifact = artifactFor(release, config);
  const file = await fetchForDeployment(context, workspace, { release, artifact });
  const own = await makeOwnFolder(repository.commonFolder, 'deploy');
  try {
    const local = await unpackForDeployment({ file, form: artifact.form }, `${own.folder}/release`, config);
    return await withSite(context, { workspace, name, config }, async (site) =>
      deployOnto(context, site, {
        options,
        confirm,
        repository,
        read: await readState(site),
        local,
        package: release.package,
        version: release.version,
        commit: release.commit,
        artifact: artifact.file,
        sha256: artifact.sha256,
        partialOf: null,
      }),
    );
  } finally {
    await own.remove();
  }
}

/** The release that was asked for, or the highest one of the package that is not a prerelease and was not taken back. */
function releaseFor(
  known: readonly LedgerRelease[],
  { asked, packageName, name }: { readonly asked: string | null; readonly packageName: string; readonly name: string },
): LedgerRelease {
  if (asked !== null) {
    const found = findRelease(known, asked);
    const isNamed = asked !== found.package && asked !== found.about.name;
    if (found.package !== packageName)
      throw new BevelstoneError('USAGE', {
        message: `${name} is a deployment of ${packageName}, not of ${found.package}`,
        why: 'a deployment has the releases of one package',
        fix: `Name a release of ${packageName}, or another deployment with --to`,
      });
    if (isNamed) return found;
  }
  const own = known.filter(
    ({ package: other, version, isAbandoned, withdrawals }) =>
      other === packageName && isNormal(version) && !isAbandoned && withdrawals.length === 0,
  );
  const [highest] = own.sort((a, b) => compareVersions(b.version, a.version));
  if (highest !== undefined) return highest;
  throw new BevelstoneError('RELEASE_NOT_RECORDED', {
    message: `the ledger has no release of ${packageName} to deploy`,
    why: 'prereleases, and releases that were given up or taken back, are deployed only by their version',
    fix: `Name one: bevelstone deploy ${packageName}@VERSION --to ${name}`,
  });
}
