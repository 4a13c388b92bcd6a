import type { SurfaceConfig, SurfaceStepConfig } from '../config/config.ts';
import { coreOf } from '../version/version.ts';
import type { Excepted, SurfaceJudgement } from './judge.ts';
import { countText, type Difference, effects, type SurfaceStep } from './surface.ts';

/** How the public surface of an artifact compares with that of the last release, or why it was not compared. */
export type SurfaceCheck = {
  readonly package: string;
  readonly version: string;
  readonly artifact: string;
  /** Null for a first release, which has nothing to be compared with. */
  readonly last: string | null;
  /** SHA-256 of what `surfaceText` gives; null where the surface was not read. */
  readonly digest: string | null;
  readonly setting: SurfaceStepConfig;
  /** Null where it was not compared. */
  readonly compared: {
    /** Where the earlier artifact came from. */
    readonly from: string;
    readonly judgement: SurfaceJudgement;
    /** What could not be read of either artifact. */
    readonly notChecked: readonly string[];
  } | null;
  /** Null where it was compared, and for a first release. */
  readonly whyNot: string | null;
};

/** What a card and a record say of the comparison of one artifact. */
export type SurfaceSummary = {
  readonly artifact: string;
  readonly last: string | null;
  readonly step: SurfaceStep;
  readonly differences: readonly Pick<Difference, 'name' | 'entry' | 'effect' | 'why'>[];
  readonly excepted: readonly { readonly name: string; readonly reason: string }[];
  /** What could not be read of either artifact; left out where all was read. */
  readonly notChecked?: readonly string[];
  /** Null where it was compared. */
  readonly whyNot: string | null;
};

/** The setting that applies: by default a version is refused from 1.0.0 on, and only warned of below. */
export function surfaceSetting({ step }: SurfaceConfig, version: string): SurfaceStepConfig {
  return step ?? (coreOf(version).major > 0 ? 'refuse' : 'warn');
}

/** One sentence for a card: what the differences of an artifact are, and what they ask for. */
export function summaryText({ artifact, last, step, differences, notChecked = [], whyNot }: SurfaceSummary): string {
  if (last === null) return `${artifact}: the first release, nothing to compare with`;
  if (whyNot !== null) return `${artifact}: not compared with ${last}: ${whyNot}`;
  const counts = effects.flatMap((effect) => {
    const count = differences.filter((difference) => difference.effect === effect).length;
    return count === 0 ? [] : [countText(effect, count)];
  });
  const names = [...new Set(differences.map(({ name }) => name))];
  const shown = names.length > 5 ? `${names.slice(0, 5).join(', ')} and ${names.length - 5} more` : names.join(', ');
  const open =
    notChecked.length === 0 ? '' : `; ${notChecked.length} ${notChecked.length === 1 ? 'part' : 'parts'} not checked`;
  return counts.length === 0
    ? `${artifact}: the same names as ${last}${open}`
    : `${artifact}: ${counts.join(', ')} since ${last} (${stepTexts[step]}): ${shown}${open}`;
}

/** What a step asks for. */
export const stepTexts: Readonly<Record<SurfaceStep, string>> = {
  major: 'a major version',
  minor: 'a minor version',
  patch: 'a patch',
  none: 'no new version',
  unknown: 'not known: some differences could not be judged',
};

/** The same in the shape that a card keeps. */
export function summariseCheck({ artifact, last, compared, whyNot }: SurfaceCheck): SurfaceSummary {
  const { counted = [], excepted = [], step = 'unknown' } = compared?.judgement ?? {};
  return {
    artifact,
    last,
    step,
    differences: counted.map(({ name, entry, effect, why }) => ({ name, entry, effect, why })),
    excepted: excepted.map(({ difference, reason }: Excepted) => ({ name: difference.name, reason })),
    ...(compared === null || compared.notChecked.length === 0 ? {} : { notChecked: compared.notChecked }),
    whyNot,
  };
}
