import type { SurfaceCheck } from '../../core/surface/check.ts';
import { exists } from '../../world/files.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import { placeInside } from '../../world/place-inside.ts';
import type { Context } from '../context.ts';
import type { Survey, SurveyOptions } from '../survey/survey.ts';
import { surveyBesideRun } from '../survey/survey-open-run.ts';

/** A survey with what the public surfaces say of its versions; none where that was not compared. */
export type SurfacedSurvey = Survey & { readonly surfaces: readonly SurfaceCheck[] };

/**
 * The survey for a person, with the step that the public surface asks for beside that of the commits: where the next release is
 * built and the last one is on this machine, or, if asked, for every package with a surface.
 * @throws like `surveyBesideRun`, and like a build when one is needed.
 */
export async function surveyWithSurface(
  context: Context,
  options: SurveyOptions,
  isAsked: boolean,
): Promise<SurfacedSurvey> {
  const survey = await surveyBesideRun(context, options);
  const { repository, config } = survey.workspace;
  const output = await placeInside(repository.root, config.output, '`output`');
  // Most surveys are of something that is not built; they need not wait for the code that compares.
  if (!isAsked && !(await exists(output))) return { ...survey, surfaces: [] };
  const { readableFolders } = await import('../release-folder/built-release.ts');
  const isNext = (name: string, version: string) =>
    survey.packages.some((found) => found.name === name && found.next === version && found.last !== null);
  const built = (await readableFolders(context, output)).filter(
    ({ record }) => record.commit === survey.commit && isNext(record.package, record.version),
  );
  if (!isAsked && built.length === 0) return { ...survey, surfaces: [] };
  const { compareReleases } = await import('./check-surfaces.ts');
  const { workspace } = survey;
  if (!isAsked)
    return { ...survey, surfaces: await compareReleases(context, workspace, { releases: built, reach: 'here' }) };
  const own = await makeOwnFolder(repository.commonFolder, 'surface');
  try {
    const { buildSurveyed, plainBuild } = await import('../build/build.ts');
    const target = { output: own.folder, source: survey.commit };
    await buildSurveyed(context, { survey, options: plainBuild, target });
    const releases = await readableFolders(context, own.folder);
    return { ...survey, surfaces: await compareReleases(context, workspace, { releases, reach: 'anywhere' }) };
  } finally {
    await own.remove();
  }
}
