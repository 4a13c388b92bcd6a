/** A dependency as a manifest writes it. */
export type ManifestDependency = {
  readonly name: string;
  readonly range: string;
  readonly kind: 'run' | 'build' | 'peer' | 'development';
  /** The package works without it. */
  readonly isOptional?: boolean;
};

/** What every manifest format is turned into. Texts are untrusted; empty ones are null. */
export type PackageManifest = {
  readonly name: string | null;
  readonly version: string | null;
  readonly description: string | null;
  readonly licence: string | null;
  readonly dependencies: readonly ManifestDependency[];
  /** Needs that its users never see: groups for developers, tables of one tool that only its lockfile settles. */
  readonly unpublished?: readonly ManifestDependency[];
};

/** What is written into a manifest for a release. */
export type ManifestStamp = {
  /** Null to leave it as it is. */
  readonly version: string | null;
  /** Whether a version that the manifest leaves to the build is written into it. */
  readonly isStatic: boolean;
  readonly ranges: readonly { readonly name: string; readonly from: string; readonly to: string }[];
};

/** One manifest format. */
export type ManifestFormat = {
  /** @throws MANIFEST_INVALID when the text is not of the format. */
  readonly read: (text: string, file: string) => PackageManifest;
  /** Writes version and ranges in place; everything else stays byte for byte. @throws MANIFEST_INVALID */
  readonly stamp: (text: string, stamp: ManifestStamp, file: string) => string;
};
