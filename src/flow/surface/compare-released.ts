import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { ArtifactRecord } from '../../core/record/release-record.ts';
import { type Difference, type SurfaceStep, stepFor } from '../../core/surface/surface.ts';
import { resolveCommit } from '../../world/git/repository.ts';
import { type Context, during } from '../context.ts';
import { openContext, readWorkspace } from '../workspace/workspace.ts';
import { compareFiles } from './compare-sources.ts';
import { EarlierArtifacts } from './earlier-artifact.ts';
import { hasSurface } from './read-source.ts';

/** How the surface of one artifact differs between two releases, or why it was not compared. */
export type ReleasedComparison = {
  readonly file: string;
  readonly differences: readonly Difference[];
  readonly step: SurfaceStep;
  readonly whyNot: string | null;
};

/** Compares the public surfaces of two releases of a package, artifact by artifact. */
export async function compareReleased(
  context: Context,
  {
    package: name,
    from,
    to,
    wanted,
  }: {
    readonly package: string;
    readonly from: string;
    readonly to: string;
    readonly wanted: readonly ArtifactRecord[];
  },
): Promise<ReleasedComparison[]> {
  const repository = await openContext(context);
  const commit = await resolveCommit(repository.place, 'HEAD');
  const workspace = await readWorkspace(context, { repository, commit, source: 'working-folder' });
  const artifacts = new EarlierArtifacts(context, workspace);
  const results: ReleasedComparison[] = [];
  for (const { file, form, platform } of wanted) {
    const find = (version: string) => artifacts.find({ package: name, version, form, platform });
    const result = await during(context, `public surface of ${file} against ${from}`, async () => {
      const [before, after] = [await find(from), await find(to)];
      if (before.type === 'missing') return notCompared(file, before.why);
      if (after.type === 'missing') return notCompared(file, after.why);
      try {
        if (!(await hasSurface(before.file, form)) && !(await hasSurface(after.file, form))) return null;
        const { differences } = await compareFiles(before.file, after.file);
        return { file, differences, step: stepFor(differences), whyNot: null };
      } catch (error) {
        if (!isBevelstoneError(error)) throw error;
        return notCompared(file, `${error.message}: ${error.why}`);
      }
    });
    for (const secret of artifacts.secrets) context.secrets.add(secret);
    if (result !== null) results.push(result);
  }
  return results;
}

const notCompared = (file: string, whyNot: string): ReleasedComparison => ({
  file,
  differences: [],
  step: 'unknown',
  whyNot,
});
