import { bump, compareVersions, coreOf, formatCore } from '../version/version.ts';
import { shiftBelowOne, type Weight } from '../version/weight.ts';
import { type Difference, type SurfaceStep, stepFor } from './surface.ts';

/** A difference that does not count, and why. */
export type Excepted = { readonly difference: Difference; readonly reason: string };

/** What the differences of a release say of its version. */
export type SurfaceJudgement = {
  readonly step: SurfaceStep;
  /** What the version has to be raised by at least, as far as is known; below 1.0.0 already shifted. */
  readonly needed: Weight;
  /** The smallest version that is correct. */
  readonly smallest: string;
  readonly isUnderstated: boolean;
  /** Whether the version could be smaller: that is only noted. */
  readonly isOverstated: boolean;
  readonly counted: readonly Difference[];
  readonly excepted: readonly Excepted[];
  /** Exceptions that nothing needs. */
  readonly unused: readonly string[];
};

/** What may be said otherwise. */
export type JudgeOptions = {
  readonly last: string;
  readonly version: string;
  readonly belowOne: 'shift' | 'keep';
  readonly exceptions: readonly { readonly name: string; readonly reason: string }[];
};

/** Whether a version is as large as the differences ask for (SemVer 2.0.0, items 4 and 6 to 8). */
export function judgeSurface(
  differences: readonly Difference[],
  { last, version, belowOne, exceptions }: JudgeOptions,
): SurfaceJudgement {
  const reasonFor = (difference: Difference) =>
    exceptions.find((exception) => isCovered(difference, exception.name))?.reason;
  const excepted = differences.flatMap((difference): Excepted[] => {
    const reason = reasonFor(difference);
    return reason === undefined ? [] : [{ difference, reason }];
  });
  const counted = differences.filter((difference) => reasonFor(difference) === undefined);
  const known = stepFor(counted.filter(({ effect }) => effect !== 'unknown'));
  const weight = known === 'unknown' ? 'none' : known;
  const needed = belowOne === 'shift' && coreOf(last).major === 0 ? shiftBelowOne(weight) : weight;
  const smallest = needed === 'none' ? last : bump(last, needed);
  const core = formatCore(coreOf(version));
  const step = stepFor(counted);
  return {
    step,
    needed,
    smallest,
    isUnderstated: compareVersions(core, smallest) < 0,
    isOverstated: step !== 'unknown' && compareVersions(core, largestFor(needed, last)) > 0,
    counted,
    excepted,
    unused: exceptions
      .filter(({ name }) => !differences.some((difference) => isCovered(difference, name)))
      .map(({ name }) => name),
  };
}

/** An exception for a name is one for its members and parameters, too. */
function isCovered({ name }: Difference, exception: string): boolean {
  return name === exception || ['.', '(', '[', ':'].some((sign) => name.startsWith(`${exception}${sign}`));
}

/** A release that changes nothing public is still a patch. */
function largestFor(needed: Weight, last: string): string {
  return bump(last, needed === 'none' ? 'patch' : needed);
}
