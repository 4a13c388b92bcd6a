import { closeConnections } from '../../world/http.ts';
import type { Context } from '../context.ts';
import { readFreshLedger } from '../ledger-record/ledger.ts';
import { openContext } from '../workspace/workspace.ts';
import { deployBack } from './deploy-back.ts';
import { deployPartial } from './deploy-partial.ts';
import { type ConfirmDeploy, type Deployed, type DeployOptions, deploymentWorkspace } from './deploy-plan.ts';
import { deployRelease } from './deploy-release.ts';
import { resumeDeployment } from './deploy-resume.ts';

/**
 * Deploys a release, returns to the one before, or finishes what was cut short.
 * @throws DEPLOY_UNFINISHED, DEPLOY_CHANGED, DEPLOY_BUSY, DEPLOY_BLOCKED, DEPLOY_FAILED, DEPLOY_NO_ARTIFACT,
 * DEPLOY_NOTHING_BEFORE, TARGET_UNREACHABLE, TARGET_REFUSED, RELEASE_NOT_RECORDED, CUT_SHORT.
 */
export async function deploy(context: Context, options: DeployOptions, confirm: ConfirmDeploy): Promise<Deployed> {
  const repository = await openContext(context);
  const workspace = await deploymentWorkspace(context, repository);
  const ground = { repository, workspace, known: await readFreshLedger(context, repository) };
  const ways = { release: deployRelease, partial: deployPartial, back: deployBack, resume: resumeDeployment } as const;
  try {
    return await ways[options.what](context, ground, { options, confirm });
  } finally {
    await closeConnections();
  }
}
