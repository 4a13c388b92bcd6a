import type { LedgerRelease } from '../../core/ledger/fold.ts';
import type { Context } from '../context.ts';
import { openContext, readWorkspace } from '../workspace/workspace.ts';
import { plainSurvey, type Survey, surveyWorkspace } from './survey.ts';

/**
 * The survey of a release as if it were still to come: what changed in it, and why it got its version.
 * @param other a release from which on changes are counted; null for the one before.
 */
export async function surveyOfRelease(
  context: Context,
  release: LedgerRelease,
  other: LedgerRelease | null,
): Promise<Survey> {
  const quiet: Context = { ...context, packages: [], report: () => {} };
  // Its own commit wrote the version; what changed was there before.
  const asked = { ...plainSurvey, at: release.source, from: other?.commit ?? null, asReleased: true };
  const { config } = await readWorkspace(quiet, {
    repository: await openContext(quiet),
    commit: release.commit,
    source: 'working-folder',
  });
  const { name } = release.about.stream;
  // A stream of a branch's own name has to know the branch; its pointer tells it.
  const stream = config.streams[name] === undefined ? null : name;
  return surveyWorkspace(quiet, { ...asked, stream, branch: release.about.stream.pointer });
}
