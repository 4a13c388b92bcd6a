import type { Ecosystem } from '../name/ecosystem.ts';

/** A package that was found in a repository. */
export type FoundPackage = {
  readonly name: string;
  /** '' for the root. */
  readonly folder: string;
  readonly ecosystem: Ecosystem;
  /** As the manifest has it; null where it has none. */
  readonly version: string | null;
};
