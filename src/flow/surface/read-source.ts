import { filesIn, insidePath, insidePaths } from '../../core/form/artifact.ts';
import { formDefinitions } from '../../core/form/definitions.ts';
import type { Form } from '../../core/name/form.ts';
import type { SurfaceReader, SurfaceSource, SurfaceTools } from '../../core/surface/reader.ts';
import { compilerLibraryText, grammarFile } from '../../world/program-files.ts';
import { readArtifact } from '../read/read-artifact.ts';

const maxFileBytes = 32 << 20;
const maxBytes = 128 << 20;

/** What readers need of this machine. */
export const surfaceTools: SurfaceTools = { libraryText: compilerLibraryText, grammar: grammarFile };

/** An artifact with the reader of its form; null for the reader where its form has no surface to read. */
export type ReadSource = {
  readonly source: SurfaceSource;
  readonly form: Form;
  readonly reader: SurfaceReader | null;
  /** Whether this artifact has a surface: of archives of any files, only those with a library. */
  readonly applies: boolean;
};

/**
 * Reads what a surface needs of an artifact. Contents beyond 32 MiB a file or 128 MiB in all are left out, and reported by the
 * reader as not checked.
 * @throws like readArtifact.
 */
export async function readSource(file: string): Promise<ReadSource> {
  const { artifact, reader, applies } = await identify(file);
  const { form, fileName } = artifact;
  const manifest = artifact.manifest?.json ?? null;
  const common = { form, reader, applies };
  if (reader === null) return { source: { fileName, manifest, paths: [], bytes: () => null }, ...common };
  const parts = new Map<string, Uint8Array[]>();
  let left = maxBytes;
  const sizes = new Map(artifact.entries.map(({ path, sizeBytes }) => [path, sizeBytes]));
  const isKept = (path: string): boolean => {
    const size = sizes.get(path) ?? 0;
    return reader.wants(insidePath(path, artifact.prefix)) && size <= maxFileBytes && size <= left;
  };
  await readArtifact(file, {
    chunk: (path, chunk, isFirst) => {
      if (isFirst ? !isKept(path) : !parts.has(path)) return;
      // A stream's buffer may be used again once it has been read.
      const piece = Uint8Array.from(chunk);
      left -= piece.byteLength;
      const own = parts.get(path);
      if (own === undefined) parts.set(path, [piece]);
      else own.push(piece);
    },
  });
  const bytes = (path: string) => {
    const found = parts.get(artifact.prefix + path);
    const empty = sizes.get(artifact.prefix + path) === 0;
    return found === undefined ? (empty ? new Uint8Array() : null) : Buffer.concat(found);
  };
  const paths = filesIn(artifact).map(({ path }) => insidePath(path, artifact.prefix));
  return { source: { fileName, manifest, paths, bytes }, ...common };
}

async function identify(file: string) {
  const artifact = await readArtifact(file);
  const load = formDefinitions[artifact.form].surface;
  const reader = load === null ? null : await load();
  return { artifact, reader, applies: reader !== null && (reader.applies?.(insidePaths(artifact)) ?? true) };
}

/** Whether a file of a form has a public surface; it is only read where not every one of its form has. @throws like readArtifact. */
export async function hasSurface(file: string, form: Form): Promise<boolean> {
  const reader = (await formDefinitions[form].surface?.()) ?? null;
  return reader?.applies === undefined ? reader !== null : (await identify(file)).applies;
}
