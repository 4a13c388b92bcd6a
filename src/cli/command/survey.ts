import { type Weight, weights } from '../../core/history/weight.ts';
import type { Survey, SurveyOptions } from '../../flow/survey.ts';
import { type Command, optionalText } from '../command.ts';
import { renderSurvey, surveyJson } from '../view/survey.ts';

/** `bevelstone survey`. */
export const survey: Command<SurveyOptions, Survey> = {
  options: (yargs) =>
    yargs
      .option('changes', { type: 'boolean', describe: 'List every commit with what it counted as and why' })
      .option('at', { type: 'string', describe: 'Survey this commit instead of HEAD' })
      .option('branch', { type: 'string', describe: 'Survey as if on this branch' })
      .option('stream', { type: 'string', describe: 'Use this stream of bevelstone.yaml' })
      .option('as', { type: 'string', describe: 'Release as this version (one package or group)' })
      .option('raise', {
        choices: weights.filter((weight) => weight !== 'none'),
        describe: 'Raise at least by this weight',
      })
      .option('because', { type: 'string', describe: 'Why, for the record' }),
  examples: [
    ['survey', 'What would be released from here'],
    ['survey --changes -p tidemark', 'Every commit of one package, and what it counts as'],
    ['survey --at early --branch early --json', 'The same of another commit, for a program'],
  ],
  parse: (raw) => ({
    at: optionalText(raw, 'at'),
    branch: optionalText(raw, 'branch'),
    stream: optionalText(raw, 'stream'),
    as: optionalText(raw, 'as'),
    raise: (raw['raise'] as Weight | undefined) ?? null,
    because: optionalText(raw, 'because'),
    changes: raw['changes'] === true,
    from: null,
    asReleased: false,
  }),
  run: async (options, context) => {
    const { surveyWorkspace } = await import('../../flow/survey.ts');
    return { result: await surveyWorkspace(context, options) };
  },
  render: (result, screen, options) => renderSurvey(result, screen, options.changes),
  toJson: surveyJson,
};
