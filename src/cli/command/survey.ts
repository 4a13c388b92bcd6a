import type { SurfacedSurvey } from '../../flow/surface/survey-surface.ts';
import type { SurveyOptions } from '../../flow/survey/survey.ts';
import { type Command, optionalText } from '../command.ts';
import { renderSurvey, surveyJson } from '../view/survey.ts';
import { overrideOptions, parseOverrides } from './override-options.ts';

type Arguments = SurveyOptions & { readonly surface: boolean };

/** `bevelstone survey`. */
export const survey: Command<Arguments, SurfacedSurvey> = {
  options: (yargs) =>
    overrideOptions(
      yargs
        .option('changes', { type: 'boolean', describe: 'List every commit with its weight and the reason' })
        .option('tags', { type: 'boolean', describe: 'List the version tags, and the tags that are not read' })
        .option('surface', {
          type: 'boolean',
          describe: 'Build what is needed to show the step that the public surface asks for',
        })
        .option('at', { type: 'string', describe: 'Survey this commit instead of HEAD' }),
    ),
  examples: [
    ['survey', 'What would be released now'],
    ['survey --changes -p tidemark', 'Every commit of one package with its weight'],
    ['survey --surface', 'Whether the next version is large enough for what changed'],
    ['survey --at early --branch early --json', 'The same for another commit, as JSON'],
  ],
  parse: (raw) => ({
    at: optionalText(raw, 'at'),
    ...parseOverrides(raw),
    changes: raw['changes'] === true,
    tags: raw['tags'] === true,
    surface: raw['surface'] === true,
    from: null,
    isPast: true,
    asReleased: false,
  }),
  run: async (options, context) => {
    const { surveyWithSurface } = await import('../../flow/surface/survey-surface.ts');
    return { result: await surveyWithSurface(context, options, options.surface) };
  },
  render: (result, screen, options) => renderSurvey(result, screen, options.changes),
  toJson: surveyJson,
};
