import type { Released } from '../../flow/release/release.ts';
import type { ReleaseOptions } from '../../flow/run/options.ts';
import { type Command, optionalText, textList } from '../command.ts';
import { releasedJson, renderCard, renderGates, renderMoved, renderReleased } from '../view/release.ts';
import { overrideOptions, parseOverrides } from './override-options.ts';

/** The run to give up, '' for the only one; null to give none up. */
type Arguments = ReleaseOptions & { readonly abandon: string | null };

/** `bevelstone release`. */
export const release: Command<Arguments, Released> = {
  options: (yargs) =>
    overrideOptions(yargs)
      .option('dry-run', {
        type: 'boolean',
        describe: 'Stop at the release card; nothing is changed, pushed or uploaded',
      })
      .option('yes', { alias: 'y', type: 'boolean', describe: 'Do not ask' })
      .option('resume', { type: 'string', describe: 'Finish an unfinished release: the only one, or RUN' })
      .option('abandon', { type: 'string', describe: 'Abandon an unfinished release: the only one, or RUN' })
      .option('again', { type: 'boolean', describe: 'With --resume: run commands again that may already have run' })
      .option('tagged', { type: 'string', describe: 'Release an existing tag with its version' })
      .option('card', { type: 'string', describe: 'Write the release card to this file, as HTML' })
      .option('accept-rebuild', {
        type: 'boolean',
        describe: 'With --resume: accept different bytes for an artifact whose original bytes no longer exist',
      })
      .option('with-needed', { type: 'boolean', describe: 'Include dependencies with unreleased changes' })
      .option('hand-out', {
        type: 'boolean',
        describe: 'Push the commit so that other machines can build it, and stop',
      })
      .option('without', { type: 'string', array: true, nargs: 1, describe: 'Release without this platform' }),
  examples: [
    ['release --dry-run', 'Everything up to the question'],
    ['release', 'The complete release; asks once'],
    ['release --yes --json', 'The same in CI'],
    ['release --resume', 'Finish an unfinished release'],
  ],
  parse: (raw) => ({
    asked: {
      ...parseOverrides(raw),
      packages: textList(raw, 'package'),
      tagged: optionalText(raw, 'tagged'),
      withNeeded: raw['withNeeded'] === true,
      without: textList(raw, 'without'),
    },
    dryRun: raw['dryRun'] === true,
    resume: raw['resume'] === undefined ? null : (optionalText(raw, 'resume') ?? ''),
    again: raw['again'] === true,
    handOut: raw['handOut'] === true,
    card: optionalText(raw, 'card'),
    acceptRebuild: raw['acceptRebuild'] === true,
    abandon: raw['abandon'] === undefined ? null : (optionalText(raw, 'abandon') ?? ''),
  }),
  run: async (options, context, { ask, screen }) => {
    if (options.abandon !== null) {
      const { abandon } = await import('../../flow/release/abandon.ts');
      const { run, advice } = await abandon(context, options.abandon || options.resume || null, (tags, remote) =>
        ask({ shown: `These tags are on ${remote}: ${tags.join(', ')}`, question: 'Delete them there?' }),
      );
      return { result: { run, dryRun: false, releases: [], card: null, page: null, advice: advice, error: null } };
    }
    const flow = await import('../../flow/release/release.ts');
    const result = await flow.release(context, options, {
      gates: (gates) => ask({ shown: renderGates(gates, screen), question: null }),
      moved: (moved) => ask({ shown: renderMoved(moved, screen), question: 'Send what is left there?' }),
      agree: (card, isAsked) => ask({ shown: renderCard(card, screen), question: isAsked ? 'Release this?' : null }),
    });
    return { result, error: result.error };
  },
  render: renderReleased,
  toJson: releasedJson,
};
