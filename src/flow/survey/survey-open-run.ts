import type { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { openElsewhere, refuseOpen } from '../../core/plan/choose-run.ts';
import { type Context, quietly, warn } from '../context.ts';
import { findUnfinished, type NamedTag } from '../ledger-record/unfinished.ts';
import { openRuns } from '../run/run.ts';
import { openContext } from '../workspace/workspace.ts';
import { plainSurvey, type Survey, type SurveyOptions, surveyWorkspace } from './survey.ts';

/**
 * The survey for a person. An unfinished release is named first, whichever clone began it: its tags may be here already, so
 * that the next version seems to be taken.
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
    const elsewhere = run === undefined ? await unfinishedIn(context, survey) : null;
    if (elsewhere !== null)
      warn(
        context,
        `the release of ${elsewhere.package} ${elsewhere.version} (${elsewhere.run}) is not finished: bevelstone release --resume`,
      );
    return survey;
  } catch (error) {
    if (isTaken(error)) await refuseUnfinished(context, options);
    throw error;
  }
}

/** A release that another clone left unfinished, among the last ones that a survey found. */
export function unfinishedIn(context: Context, { packages, workspace }: Survey): Promise<LedgerRelease | null> {
  const tags = packages.flatMap(({ name, last, lastInSeries }) => named(name, [last, lastInSeries]));
  return findUnfinished(context, workspace.repository, { tags, config: workspace.config });
}

/** Whether tags of a run that is not finished can be what refuses a survey. */
export function isTaken(error: unknown): error is BevelstoneError {
  return isBevelstoneError(
    error,
    'VERSION_ELSEWHERE',
    'VERSION_BELOW',
    'TAG_AMBIGUOUS',
    'VERSION_REFUSED',
    'STREAM_BEHIND',
  );
}

/** @throws RUN_OPEN when a run is unfinished, here or in another clone. */
export async function refuseUnfinished(context: Context, options: SurveyOptions): Promise<void> {
  refuseOpen(await openRuns(await openContext(context)));
  const found = await unfinishedOfAll(context, options);
  if (found !== null) throw openElsewhere(found.run);
}

/** The same where no survey is possible: every version of the packages may be the unfinished one. */
async function unfinishedOfAll(context: Context, options: SurveyOptions): Promise<LedgerRelease | null> {
  const asked = { ...plainSurvey, branch: options.branch, stream: options.stream, tags: true, asReleased: true };
  const survey = await surveyWorkspace(quietly(context), asked);
  return findUnfinished(context, survey.workspace.repository, {
    tags: survey.tags?.read ?? [],
    config: survey.workspace.config,
  });
}

function named(name: string, tags: readonly ({ readonly version: string; readonly tag: string } | null)[]): NamedTag[] {
  return tags.flatMap((tag) => (tag === null ? [] : [{ package: name, version: tag.version, tag: tag.tag }]));
}
