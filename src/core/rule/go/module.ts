import type { Artifact } from '../../form/artifact.ts';
import { type GoMod, parseGoMod } from '../../manifest/go-mod.ts';

/** The manifest of a module, with what the folder around it says of path and version. */
export type Module = GoMod & {
  /** Path of its go.mod in the zip. */
  readonly manifestPath: string;
  /** Of the folder `PATH@VERSION/`; null where that has another form. */
  readonly path: string | null;
  readonly version: string | null;
};

/** Reads them from an artifact. */
export function moduleOf({ manifest, prefix, texts }: Pick<Artifact, 'manifest' | 'prefix' | 'texts'>): Module {
  const manifestPath = manifest?.path ?? `${prefix}go.mod`;
  const [, path = null, version = null] = /^(.+)@(v[^/]+)\/$/.exec(prefix) ?? [];
  return { ...parseGoMod(texts.get(manifestPath) ?? ''), manifestPath, path, version };
}
