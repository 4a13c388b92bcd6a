import type { RunAsked } from '../../core/record/run-data.ts';
/** What `release` may be asked for. */
export type ReleaseOptions = {
  readonly asked: RunAsked;
  readonly dryRun: boolean;
  /** The run to go on with, '' for the only one; null for a new release. */
  readonly resume: string | null;
  /** Whether commands that may have run already are run again. */
  readonly again: boolean;
  /** Stop when the commit is made, and push it for other machines to build. */
  readonly handOut: boolean;
  /** Whether an artifact that no longer exists may be rebuilt with different bytes than planned. */
  readonly acceptRebuild: boolean;
  /** File for the release card as a page; null for none. */
  readonly card: string | null;
};
