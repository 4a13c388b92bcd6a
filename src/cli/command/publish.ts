import type { Publication } from '../../flow/deliver/publish.ts';
import type { TagOptions } from '../../flow/deliver/publish-plan.ts';
import type { Command } from '../command.ts';
import { publicationJson, renderPlan, renderPublication } from '../view/publish.ts';

/** `bevelstone publish`. */
export const publish: Command<TagOptions, Publication> = {
  options: (yargs) =>
    yargs
      .option('push-tag', {
        type: 'boolean',
        describe: "Create and push the release's tag first if the remote does not have it",
      })
      .option('yes', { alias: 'y', type: 'boolean', describe: 'Do not ask' })
      .option('dry-run', { type: 'boolean', describe: 'Show what would be uploaded where, and stop' }),
  examples: [
    ['publish --dry-run', 'What would go where'],
    ['publish --push-tag', 'Tag, push the tag, deliver; asks once'],
    ['publish --push-tag --yes --json', 'The same in CI'],
  ],
  parse: (raw) => ({ tag: raw['pushTag'] === true, dryRun: raw['dryRun'] === true }),
  run: async (options, context, { ask, screen }) => {
    const flow = await import('../../flow/deliver/publish.ts');
    const publication = await flow.publish(context, options, (plan) =>
      ask({ shown: renderPlan(plan, screen), question: 'Deliver these?' }),
    );
    return { result: publication, error: publication.error };
  },
  render: renderPublication,
  toJson: publicationJson,
};
