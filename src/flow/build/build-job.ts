import type { FoundTool } from '../../world/tool.ts';
import type { Context } from '../context.ts';
import type { Survey, SurveyedPackage } from '../survey/survey.ts';
import type { Package } from '../workspace/workspace.ts';

/** Where build steps find what this run built before. */
export type BuiltDependencies = {
  /** A folder with one link per package. */
  readonly folder: string;
  /** Release folders by package. */
  readonly folders: ReadonlyMap<string, string>;
};

/** Everything that building one package needs to know. */
export type BuildJob = {
  /** What progress is reported under. */
  readonly what: string;
  readonly context: Context;
  readonly survey: Survey;
  readonly surveyed: SurveyedPackage;
  readonly pkg: Package;
  readonly version: string;
  /** Versions of this build by package index. */
  readonly versions: ReadonlyMap<number, string>;
  /** Platforms of the package that are built here. */
  readonly platforms: readonly string[];
  readonly tools: readonly FoundTool[];
  readonly isUncommitted: boolean;
  /** The commit that was surveyed; the one that is built differs from it by what a release writes into the repository. */
  readonly source: string;
  /** Seconds since 1970. */
  readonly sourceTime: number;
  /** Root of the checkout, the package's folder in it, and the steps' own folder. */
  readonly checkout: string;
  readonly folder: string;
  readonly out: string;
  /** Writes over a file of the checkout; whatever is written there before the steps goes through it. */
  readonly write: (file: string, text: string) => Promise<void>;
  readonly dependencies: BuiltDependencies;
  /** Given when the run is stopped, or when another package failed. */
  readonly signal: AbortSignal;
};
