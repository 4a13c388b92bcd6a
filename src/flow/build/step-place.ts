import type { PackageConfig } from '../../core/config/config.ts';
import type { FoundTool } from '../../world/tool.ts';
import type { Context } from '../context.ts';
import type { BuiltDependencies } from './build-job.ts';

/** Where steps run, and what they know. */
export type StepPlace = {
  readonly context: Context;
  readonly package: string;
  readonly version: string;
  readonly commit: string;
  /** Seconds since 1970. */
  readonly sourceTime: number;
  /** Absolute paths of the package's folder, of the steps' own, and of that of the logs. */
  readonly folder: string;
  readonly out: string;
  readonly logs: string;
  /** What they inherit: no credentials. */
  readonly env: Readonly<Record<string, string>>;
  readonly config: Pick<PackageConfig, 'built-for' | 'path' | 'offline' | 'contained'>;
  /** As they were found and recorded. */
  readonly tools: readonly FoundTool[];
  readonly dependencies: BuiltDependencies;
  readonly signal: AbortSignal;
};
