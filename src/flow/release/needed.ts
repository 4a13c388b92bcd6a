import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { Context } from '../context.ts';
import type { Survey, SurveyOptions } from '../survey/survey.ts';

/**
 * Surveys the packages asked for. When one of them needs an unreleased change of another, that one is added where this was
 * asked for.
 * @throws NEEDED_UNRELEASED
 */
export async function withNeeded(
  context: Context,
  {
    options,
    isAdded,
    survey,
  }: {
    readonly options: SurveyOptions;
    readonly isAdded: boolean;
    readonly survey: (context: Context, options: SurveyOptions) => Promise<Survey>;
  },
): Promise<Survey> {
  if (context.packages.length === 0) return survey(context, options);
  const chosen = new Set(context.packages);
  for (;;) {
    const own = await survey({ ...context, packages: [...chosen] }, options);
    const nameOf = (index: number) => own.workspace.packages[index]?.name ?? '';
    const wanted = own.edges.filter(
      ({ from, to, kind }) => kind !== 'development' && chosen.has(nameOf(from)) && !chosen.has(nameOf(to)),
    );
    if (wanted.length === 0) return own;
    // Problems of packages that are not needed do not matter for this release.
    const quiet: Context = { ...context, packages: [...new Set(wanted.map(({ to }) => nameOf(to)))], report: () => {} };
    const others = await survey(quiet, { ...options, exactly: null, raise: null, because: null });
    const open = new Set(others.packages.filter(({ next }) => next !== null).map(({ name }) => name));
    const needed = wanted.find(({ to }) => open.has(nameOf(to)));
    if (needed === undefined) return own;
    const [from, to] = [nameOf(needed.from), nameOf(needed.to)];
    if (!isAdded) {
      throw new BevelstoneError('NEEDED_UNRELEASED', {
        message: `${from} depends on ${to}, which has unreleased changes`,
        why: 'users would get the old version, which was not tested with it',
        fix: `Add -p ${to}, or --with-needed`,
      });
    }
    chosen.add(to);
  }
}
