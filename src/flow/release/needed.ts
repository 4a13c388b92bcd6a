import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { Context } from '../context.ts';
import type { Survey, SurveyOptions } from '../survey.ts';

/**
 * Surveys the packages asked for. When one of them needs an unreleased change of another, that one is added where this was
 * asked for.
 * @throws NEEDED_UNRELEASED
 */
export async function withNeeded(
  context: Context,
  options: SurveyOptions,
  isAdded: boolean,
  survey: (context: Context, options: SurveyOptions) => Promise<Survey>,
): Promise<Survey> {
  if (context.packages.length === 0) return survey(context, options);
  const quiet: Context = { ...context, packages: [], report: () => {} };
  const whole = await survey(quiet, { ...options, as: null, raise: null, because: null });
  const next = new Map(whole.packages.map((one, at) => [whole.indexes[at] ?? -1, one.next]));
  const nameOf = (index: number) => whole.workspace.packages[index]?.name ?? '';
  const chosen = new Set(context.packages);
  for (;;) {
    const needed = whole.edges.find(
      ({ from, to, kind }) =>
        kind !== 'development' &&
        chosen.has(nameOf(from)) &&
        !chosen.has(nameOf(to)) &&
        (next.get(to) ?? null) !== null,
    );
    if (needed === undefined) return survey({ ...context, packages: [...chosen] }, options);
    const [from, to] = [nameOf(needed.from), nameOf(needed.to)];
    if (!isAdded) {
      throw new BevelstoneError('NEEDED_UNRELEASED', {
        message: `${from} needs ${to}, which has changes that are not released`,
        why: 'whoever installs it would get the old one, with which it was never tried',
        fix: `Add -p ${to}, or --with-needed`,
      });
    }
    chosen.add(to);
  }
}
