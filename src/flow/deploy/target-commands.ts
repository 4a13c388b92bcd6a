import path from 'node:path';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { Deployment } from '../../core/record/deployment-state.ts';
import { cleanLines } from '../../core/text/clean.ts';
import { formatDuration } from '../../core/text/duration.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import { waitForAnswer } from '../../world/server-step.ts';
import type { TargetCommand } from '../../world/target/target.ts';
import type { Context } from '../context.ts';
import { placesOf, type Site } from './site.ts';

/** Runs the commands of `first` or `then` in the folder of a release. @throws DEPLOY_FAILED for the first that fails. */
export async function runCommands(
  context: Context,
  site: Site,
  { when, deployment }: { readonly when: 'first' | 'then'; readonly deployment: Deployment },
): Promise<void> {
  const folder = placesOf(site).release(deployment.id);
  const env = {
    BEVELSTONE_DEPLOYMENT: site.name,
    BEVELSTONE_PACKAGE: deployment.package,
    BEVELSTONE_VERSION: deployment.version,
    BEVELSTONE_RELEASE: folder,
  };
  for (const { run, 'at-most': timeoutMs } of site.config[when])
    await runOnTarget(context, site, { run, folder, env, timeoutMs });
}

/** Runs one command on the target. @throws DEPLOY_FAILED with its last lines. */
export async function runOnTarget(context: Context, site: Site, command: Omit<TargetCommand, 'log'>): Promise<void> {
  const { run, timeoutMs } = command;
  const what = `${run} on ${site.target.where}`;
  context.report({ type: 'started', what });
  const own = await makeOwnFolder(site.commonFolder, 'deploy');
  const log = path.join(own.folder, 'command.log');
  try {
    const end = await site.target.run({ ...command, log });
    if (end.exitCode === 0 && !end.isLate) return context.report({ type: 'finished', what });
    const why = end.isLate
      ? `it took longer than ${formatDuration(timeoutMs)}`
      : `it ended with exit code ${end.exitCode}`;
    context.report({ type: 'failed', what, why });
    throw new BevelstoneError('DEPLOY_FAILED', {
      message: `a command of the deployment ${site.name} failed: ${run}`,
      why: [`${why}; its last lines:`, ...end.tail.map(cleanLines)].join('\n'),
      fix: 'Fix what it reports, then deploy again',
    });
  } finally {
    await own.remove();
  }
}

/** Waits for the answer of `until`. @throws DEPLOY_FAILED */
export async function checkHealth(context: Context, { name, config: { until, within } }: Site): Promise<void> {
  if (until === null) return;
  const what = `wait for ${until}`;
  context.report({ type: 'started', what });
  const isUp = await waitForAnswer(until, { hasEnded: () => false, withinMs: within, signal: context.signal });
  if (isUp) return context.report({ type: 'finished', what });
  context.report({ type: 'failed', what, why: `no answer with a status below 400 within ${formatDuration(within)}` });
  throw new BevelstoneError('DEPLOY_FAILED', {
    message: `the health check of the deployment ${name} failed`,
    why: `${until} gave no answer with a status below 400 within ${formatDuration(within)}`,
    fix: 'Look at the log of what runs there, then deploy again',
  });
}
