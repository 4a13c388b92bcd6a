/** What of a package of the workspace changes with a release, as lockfiles need to know it. */
export type OwnPackage = {
  /** As its manifest has it. */
  readonly name: string;
  /** From the lockfile's own folder: '' for that folder itself. */
  readonly folder: string;
  /** As its manifest has it now; null where only ranges change. */
  readonly version: string | null;
  readonly ranges: readonly { readonly name: string; readonly from: string; readonly to: string }[];
};

/** Updates one format. @returns the text unchanged where it records nothing of these packages. */
export type LockfileUpdate = (text: string, own: readonly OwnPackage[], file: string) => string;
