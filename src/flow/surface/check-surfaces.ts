import path from 'node:path';
import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { withSurface } from '../../core/form/surfaced.ts';
import type { Form } from '../../core/name/form.ts';
import { type SurfaceCheck, surfaceSetting } from '../../core/surface/check.ts';
import { judgeSurface } from '../../core/surface/judge.ts';
import { type Surface, surfaceText } from '../../core/surface/surface.ts';
import { tooSmall } from '../../core/surface/understated.ts';
import { type Context, during, warn } from '../context.ts';
import type { ReleaseFolder } from '../release-folder/built-release.ts';
import { sha256Text } from '../release-folder/release-sboms.ts';
import type { Workspace } from '../workspace/workspace.ts';
import { compareFiles, surfaceOfFile } from './compare-sources.ts';
import { type EarlierArtifact, EarlierArtifacts, packageNamed } from './earlier-artifact.ts';
import { hasSurface } from './read-source.ts';

/**
 * Compares the public surface of built releases with that of the last ones. What cannot be compared is a warning, never left
 * out silently.
 */
export async function checkSurfaces(
  context: Context,
  workspace: Workspace,
  releases: readonly ReleaseFolder[],
): Promise<SurfaceCheck[]> {
  const checks = await compareReleases(context, workspace, { releases, reach: 'anywhere' });
  for (const check of checks) report(context, check);
  return checks;
}

/** The same without a word. @param reach `here`: only with artifacts that lie on this machine already. */
export async function compareReleases(
  context: Context,
  workspace: Workspace,
  { releases, reach }: { readonly releases: readonly ReleaseFolder[]; readonly reach: 'here' | 'anywhere' },
): Promise<SurfaceCheck[]> {
  const earlier = new EarlierArtifacts(context, workspace);
  const checks: SurfaceCheck[] = [];
  for (const release of releases) {
    const config = packageNamed(workspace, release.record.package)?.config ?? null;
    const { last, version } = release.record;
    if (config === null) continue;
    const setting = surfaceSetting(config.surface, version);
    if (setting === 'off') continue;
    for (const artifact of withSurface(release.record.artifacts)) {
      context.signal.throwIfAborted();
      const base = { package: release.record.package, version, artifact: artifact.file, last, setting };
      const file = path.join(release.folder, artifact.file);
      const { form, platform } = artifact;
      const question = { package: base.package, form, platform };
      const find = (before: string) => earlier.find({ ...question, version: before }, reach);
      const earlierHere = async (before: string | null) =>
        before === null ? null : earlier.find({ ...question, version: before }, 'here');
      // Where only what is here counts, what is not here is not worth a word.
      if (reach === 'here' && (last === null || (await find(last)).type === 'missing')) continue;
      if (!(await hasSurface(file, form)) && !(await hadSurface(await earlierHere(last), form))) continue;
      const what = `public surface of ${artifact.file}${last === null ? '' : ` against ${last}`}`;
      const check = await during(context, what, async () =>
        last === null
          ? firstOf({ ...base, last }, file)
          : compareWith(await find(last), { base: { ...base, last }, file, workspace }),
      );
      for (const secret of earlier.secrets) context.secrets.add(secret);
      checks.push(check);
    }
  }
  return checks;
}

/** Whether an archive of any files had a surface in the last release, so that it is missed now. */
async function hadSurface(last: EarlierArtifact | null, form: Form): Promise<boolean> {
  return last !== null && last.type !== 'missing' && (await hasSurface(last.file, form));
}

async function firstOf(base: Base, file: string): Promise<SurfaceCheck> {
  try {
    const { surface } = await surfaceOfFile(file);
    return { ...base, digest: sha256Text(surfaceText(surface)), compared: null, whyNot: null };
  } catch (error) {
    if (!isBevelstoneError(error)) throw error;
    return { ...base, digest: null, compared: null, whyNot: `${error.message}: ${error.why}` };
  }
}

type Base = Omit<SurfaceCheck, 'compared' | 'whyNot' | 'digest'>;

async function compareWith(
  found: EarlierArtifact,
  {
    base,
    file,
    workspace,
  }: {
    readonly base: Base & { readonly last: string };
    readonly file: string;
    readonly workspace: Workspace;
  },
): Promise<SurfaceCheck> {
  if (found.type === 'missing') return { ...(await firstOf(base, file)), whyNot: found.why };
  try {
    const { differences, before, after } = await compareFiles(found.file, file);
    const exceptions = packageNamed(workspace, base.package)?.config.surface.exceptions ?? [];
    const belowOne = workspace.config.history['below-one'];
    const judgement = judgeSurface(differences, { last: base.last, version: base.version, belowOne, exceptions });
    const digest = sha256Text(surfaceText(after));
    const compared = { from: found.from, judgement, notChecked: notChecked(before, after) };
    return { ...base, digest, compared, whyNot: null };
  } catch (error) {
    if (!isBevelstoneError(error)) throw error;
    return { ...base, digest: null, compared: null, whyNot: `${error.message}: ${error.why}` };
  }
}

function notChecked(before: Surface, after: Surface): string[] {
  return [
    ...new Set(
      [...before.notChecked, ...after.notChecked].map(({ entry, why }) => (entry === null ? why : `${entry}: ${why}`)),
    ),
  ];
}

function report(context: Context, check: SurfaceCheck): void {
  const { package: name, artifact, last, compared, whyNot, version } = check;
  if (compared === null) {
    if (whyNot !== null)
      warn(
        context,
        `the public surface of ${artifact} was not ${last === null ? 'read' : `compared with ${name} ${last}`}: ${whyNot}`,
      );
    return;
  }
  const { judgement } = compared;
  if (check.setting === 'warn' && judgement.isUnderstated) warn(context, tooSmall(check));
  const open = judgement.counted.filter(({ effect }) => effect === 'unknown').length;
  if (open > 0)
    warn(
      context,
      `${artifact}: ${open} ${open === 1 ? 'difference' : 'differences'} of the public surface could not be judged; see: bevelstone surface ${name} --against last`,
    );
  for (const exception of judgement.unused)
    warn(context, `${name}: the exception for the public name ${exception} matches no difference; remove it`);
  if (judgement.isOverstated)
    context.report({
      type: 'note',
      text: `${name} ${version}: the public surface would allow ${judgement.smallest === last ? 'a patch' : judgement.smallest}`,
    });
}
