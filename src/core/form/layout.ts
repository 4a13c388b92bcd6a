import type { ReleaseNotes } from '../changelog/section.ts';
import type { ArtifactConfig } from '../config/config.ts';
import type { Candidate, Staged } from '../contents/select.ts';
import type { PackageManifest } from '../manifest/package-manifest.ts';
import { type Scheme, spell } from '../version/spelling.ts';
import type { Stream } from '../version/stream.ts';
import type { ArtifactPlan } from './plan.ts';
import type { FromSource } from './source-archive/from-source.ts';

/** Everything that an artifact's layout depends on. */
export type FormInput = {
  readonly artifact: ArtifactConfig;
  readonly packageName: string;
  readonly manifest: PackageManifest | null;
  /** Path of the manifest inside the package's folder. */
  readonly manifestPath: string | null;
  readonly version: string;
  readonly stream: Stream;
  /** The one it is made for; null for an artifact of all or none. */
  readonly platform: string | null;
  /** Platforms that were built for here: a rule with `{platform}` is repeated for each in an artifact of all. */
  readonly platforms: readonly string[];
  readonly commit: string;
  /** Seconds since 1970. */
  readonly sourceTime: number;
  readonly supplier: string | null;
  readonly notes: ReleaseNotes;
  readonly programVersion: string;
  /** Files of the package's folder after its build steps, and below `{out}/` what they put there. */
  readonly files: readonly Candidate[];
  /** Those of them that are at the commit. */
  readonly tracked: Pick<ReadonlySet<string>, 'has'>;
  /** Whether the version was written into a file of the package. */
  readonly isStamped: boolean;
  /** An SBOM of what the package needs, for forms that have a place for one; null when there is nothing to say. */
  readonly needsSbom: () => Promise<{ readonly fileName: string; readonly text: string } | null>;
  /** How the package is built from its sources. @param folder where it lies below their top, '' for the top itself. */
  readonly fromSource: (folder: string) => FromSource;
  /** The package's folder in the repository, '' for its root. */
  readonly folder: string;
  /** Text of a file of the repository, by its path there; null when there is none. */
  readonly readAbove: (path: string) => Promise<string | null>;
  /** Text of a file of the package's folder, null when there is none. */
  readonly read: (path: string) => Promise<string | null>;
};

/** One form of artifact. */
export type Layout = {
  /** What goes in when the configuration has no `files`. @throws CONTENTS_NEEDED where only a maintainer knows. */
  readonly select: (input: FormInput) => Promise<Staged[]>;
  readonly plan: (input: FormInput, staged: readonly Staged[]) => Promise<ArtifactPlan>;
};

/** The version as a scheme writes it. @throws SPELLING_IMPOSSIBLE, STREAM_UNSPELLABLE */
export function spelt({ version, stream }: FormInput, scheme: Scheme): string {
  return spell(scheme, version, stream);
}
