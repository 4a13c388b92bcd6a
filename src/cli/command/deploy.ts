import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { Deployed, DeployOptions } from '../../flow/deploy/deploy-plan.ts';
import { type Command, optionalText } from '../command.ts';
import { deployedJson, renderDeployed, renderDeployPlan } from '../view/deploy.ts';

/** `bevelstone deploy`. */
export const deploy: Command<DeployOptions, Deployed> = {
  options: (yargs) =>
    yargs
      .positional('release', { type: 'string', describe: 'PACKAGE for its highest release, or PACKAGE@VERSION' })
      .option('to', { type: 'string', nargs: 1, describe: 'Name of the deployment in bevelstone.yaml' })
      .option('back', { type: 'boolean', describe: 'Return to the deployment before this one' })
      .option('resume', { type: 'boolean', describe: 'Finish a deployment that was cut short' })
      .option('partial', {
        type: 'string',
        nargs: 1,
        describe: 'Put this archive of some changes onto the release in place (build --changed-by)',
      })
      .option('overwrite-changed', {
        type: 'boolean',
        describe: 'Deploy even if files on the target were changed by hand',
      })
      .option('yes', { alias: 'y', type: 'boolean', describe: 'Do not ask' })
      .option('dry-run', { type: 'boolean', describe: 'Show what would change on the target, and stop' })
      .conflicts('back', 'resume')
      .conflicts('partial', ['back', 'release']),
  examples: [
    ['deploy harmonics --to harbour', 'Put the highest release into place'],
    ['deploy harmonics@0.9.5 --to harbour --dry-run', 'Show which files would change, and which were changed by hand'],
    ['deploy --back --to harbour', 'Return to the release before'],
  ],
  parse: (raw) => {
    const release = optionalText(raw, 'release');
    const partial = optionalText(raw, 'partial');
    const other = partial === null ? 'release' : 'partial';
    const what = raw['back'] === true ? 'back' : raw['resume'] === true ? 'resume' : other;
    if (what === 'resume' && release !== null)
      throw new BevelstoneError('USAGE', {
        message: 'deploy --resume takes no release',
        why: 'the target says which one was begun',
        fix: 'Leave the release out: bevelstone deploy --resume --to NAME',
      });
    return {
      release,
      to: optionalText(raw, 'to'),
      what,
      partial,
      overwriteChanged: raw['overwriteChanged'] === true,
      dryRun: raw['dryRun'] === true,
    };
  },
  run: async (options, context, { ask, screen }) => {
    const flow = await import('../../flow/deploy/deploy.ts');
    const result = await flow.deploy(context, options, (plan) =>
      ask({
        shown: renderDeployPlan(plan, screen),
        question: options.what === 'back' ? `Return to it on ${plan.deployment}?` : `Deploy it to ${plan.deployment}?`,
      }),
    );
    return { result };
  },
  render: renderDeployed,
  toJson: deployedJson,
};
