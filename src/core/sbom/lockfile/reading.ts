import type { PurlType } from '../../ecosystem/definition.ts';
import type { PackageManifest } from '../../manifest/package-manifest.ts';
import type { DependencyKind, Digest } from '../sbom.ts';

/** A need of one package for another, by the key that the lockfile gives it. */
export type Need = { readonly key: string; readonly kind: DependencyKind };

/** A package as a lockfile or a manifest fixes it. */
export type LockedPackage = {
  /** Unique in this file. */
  readonly key: string;
  readonly type: PurlType;
  readonly name: string;
  /** Null where only a range is known. */
  readonly version: string | null;
  readonly digests: readonly Digest[];
  readonly location: string | null;
  readonly licence: string | null;
  readonly needs: readonly Need[];
  /** Folder of an installed copy, from the lockfile's own folder. */
  readonly installedAt: string | null;
  readonly comment: string | null;
};

/** What a file says of dependencies. */
export type DependencyReading = {
  /** What the file is, in words. */
  readonly format: string;
  readonly packages: readonly LockedPackage[];
  /** Direct needs by folder, from the file's own folder: '' for itself. */
  readonly roots: ReadonlyMap<string, readonly Need[]>;
  /** What could not be determined, one sentence each. */
  readonly unknown: readonly string[];
};

/** What a reader may look up beside the text. */
export type ReadingContext = {
  /** Path of the file, for messages. */
  readonly file: string;
  /** A text in YAML is refused beyond this; the usual limit when it is not said. */
  readonly yamlBytes?: number;
  /** Manifests by folder, from the file's own folder. */
  readonly manifests: ReadonlyMap<string, PackageManifest>;
  /** Text of a file beside it; null when there is none. */
  readonly beside: (name: string) => string | null;
};

/** Reads one format. @returns null when this version of the format is not read; @throws MANIFEST_INVALID for a broken one. */
export type DependencyReader = (text: string, context: ReadingContext) => DependencyReading | null;

/** A locked package with everything unknown that is not given. */
export function lockedPackage(
  known: Pick<LockedPackage, 'key' | 'type' | 'name' | 'version'> & Partial<LockedPackage>,
): LockedPackage {
  return { digests: [], location: null, licence: null, needs: [], installedAt: null, comment: null, ...known };
}
