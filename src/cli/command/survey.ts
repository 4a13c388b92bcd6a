import type { Survey, SurveyOptions } from '../../flow/survey/survey.ts';
import { type Command, optionalText } from '../command.ts';
import { renderSurvey, surveyJson } from '../view/survey.ts';
import { overrideOptions, parseOverrides } from './override-options.ts';

/** `bevelstone survey`. */
export const survey: Command<SurveyOptions, Survey> = {
  options: (yargs) =>
    overrideOptions(
      yargs
        .option('changes', { type: 'boolean', describe: 'List every commit with its weight and the reason' })
        .option('tags', { type: 'boolean', describe: 'List the version tags, and the tags that are not read' })
        .option('at', { type: 'string', describe: 'Survey this commit instead of HEAD' }),
    ),
  examples: [
    ['survey', 'What would be released now'],
    ['survey --changes -p tidemark', 'Every commit of one package with its weight'],
    ['survey --at early --branch early --json', 'The same for another commit, as JSON'],
  ],
  parse: (raw) => ({
    at: optionalText(raw, 'at'),
    ...parseOverrides(raw),
    changes: raw['changes'] === true,
    tags: raw['tags'] === true,
    from: null,
    isPast: true,
    asReleased: false,
  }),
  run: async (options, context) => {
    const { surveyBesideRun } = await import('../../flow/survey/survey-open-run.ts');
    return { result: await surveyBesideRun(context, options) };
  },
  render: (result, screen, options) => renderSurvey(result, screen, options.changes),
  toJson: surveyJson,
};
