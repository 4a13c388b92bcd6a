/** A dependency as a manifest writes it. */
export type ManifestDependency = {
  readonly name: string;
  readonly range: string;
  readonly kind: 'run' | 'build' | 'peer' | 'development';
};

/** What every manifest format is turned into. Texts are untrusted; empty ones are null. */
export type PackageManifest = {
  readonly name: string | null;
  readonly version: string | null;
  readonly description: string | null;
  readonly licence: string | null;
  readonly dependencies: readonly ManifestDependency[];
};

/** A manifest's file name and what it tells of the package. */
export const manifestFiles = [
  { file: 'package.json', ecosystem: 'node' },
  { file: 'pyproject.toml', ecosystem: 'python' },
  { file: 'pom.xml', ecosystem: 'jvm' },
  { file: 'Cargo.toml', ecosystem: 'rust' },
  { file: 'go.mod', ecosystem: 'go' },
] as const;
