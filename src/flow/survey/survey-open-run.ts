import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { refuseOpen } from '../../core/plan/choose-run.ts';
import { type Context, warn } from '../context.ts';
import { openRuns } from '../run/run.ts';
import { openContext } from '../workspace/workspace.ts';
import { type Survey, type SurveyOptions, surveyWorkspace } from './survey.ts';

/**
 * The survey for a person. An unfinished release is named first: its tags may be here already, so that the next version seems
 * to be taken.
 * @throws RUN_OPEN in place of any refusal that comes from such tags, and whatever a survey throws.
 */
export async function surveyBesideRun(context: Context, options: SurveyOptions): Promise<Survey> {
  try {
    const survey = await surveyWorkspace(context, options);
    const [run] = await openRuns(survey.workspace.repository);
    if (run !== undefined)
      warn(
        context,
        `the release ${run.id} is not finished: bevelstone release --resume, or bevelstone release --abandon`,
      );
    return survey;
  } catch (error) {
    if (isBevelstoneError(error, 'VERSION_ELSEWHERE', 'TAG_AMBIGUOUS', 'VERSION_REFUSED', 'STREAM_BEHIND'))
      refuseOpen(await openRuns(await openContext(context)));
    throw error;
  }
}
