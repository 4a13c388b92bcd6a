import type { Artifact } from '../../form/artifact.ts';
import { objectOf } from '../../manifest/fields.ts';

/** The manifest inside a crate, with its path; empty when there is none. */
export function crateManifest({ manifest, prefix }: Pick<Artifact, 'manifest' | 'prefix'>): {
  readonly path: string;
  readonly manifest: Readonly<Record<string, unknown>>;
} {
  return { path: manifest?.path ?? `${prefix}Cargo.toml`, manifest: manifest?.json ?? {} };
}

/** Every need of a crate: of its own, of its builds and tests, and for one platform only. */
export function needTables(
  manifest: Readonly<Record<string, unknown>>,
): { readonly table: string; readonly name: string; readonly value: unknown }[] {
  const holders = [manifest, ...Object.values(objectOf(manifest['target'])).map(objectOf)];
  return holders.flatMap((holder) =>
    ['dependencies', 'build-dependencies', 'dev-dependencies'].flatMap((table) =>
      Object.entries(objectOf(holder[table])).map(([name, value]) => ({ table, name, value })),
    ),
  );
}
