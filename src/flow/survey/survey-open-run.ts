import type { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { openElsewhere, refuseOpen } from '../../core/plan/choose-run.ts';
import { type Context, quietly, warn } from '../context.ts';
import { lookUpTags, type NamedTag, type TaggedReleases } from '../ledger-record/unfinished.ts';
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
    if (run !== undefined) return survey;
    const { unfinished, withdrawn } = await lastInLedger(context, survey);
    if (unfinished !== null)
      warn(
        context,
        `the release of ${unfinished.package} ${unfinished.version} (${unfinished.run}) is not finished: bevelstone release --resume`,
      );
    for (const release of withdrawn) context.report({ type: 'note', text: withdrawnText(release) });
    return survey;
  } catch (error) {
    if (isTaken(error)) await refuseUnfinished(context, options);
    throw error;
  }
}

/** Where a last release was taken back, and why. */
function withdrawnText({ package: name, version, withdrawals }: LedgerRelease): string {
  const places = withdrawals.map(({ destination, reason }) => `${destination} (${reason})`);
  return `the last release of ${name}, ${version}, was withdrawn from ${places.join(', ')}`;
}

/** What the ledger says of the last releases that a survey found. */
export function lastInLedger(context: Context, { packages, workspace }: Survey): Promise<TaggedReleases> {
  const tags = packages.flatMap(({ name, last, lastInSeries }) => named(name, [last, lastInSeries]));
  return lookUpTags(context, workspace.repository, { tags, config: workspace.config });
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
  const { unfinished } = await lookUpTags(context, survey.workspace.repository, {
    tags: survey.tags?.read ?? [],
    config: survey.workspace.config,
  });
  return unfinished;
}

function named(name: string, tags: readonly ({ readonly version: string; readonly tag: string } | null)[]): NamedTag[] {
  return tags.flatMap((tag) => (tag === null ? [] : [{ package: name, version: tag.version, tag: tag.tag }]));
}
