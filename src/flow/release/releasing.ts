import type { Survey, SurveyedPackage } from '../survey/survey.ts';
import type { Package } from '../workspace/workspace.ts';

/** A package with the version that it gets. */
export type Releasing = {
  readonly pkg: Package;
  readonly surveyed: SurveyedPackage;
  readonly version: string;
};

/** The packages of a survey that have something to release. */
export function releasingOf({ packages }: Survey): Releasing[] {
  return packages.flatMap((surveyed): Releasing[] =>
    surveyed.next === null ? [] : [{ pkg: surveyed.own, surveyed, version: surveyed.next }],
  );
}
