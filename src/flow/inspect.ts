import { contentDigest } from '../core/contents/entry.ts';
import { type ReadArtifact, readArtifact } from './read-artifact.ts';

/** What is inside an artifact. */
export type Inspection = { readonly file: string; readonly artifact: ReadArtifact; readonly contentDigest: string };

/** Opens an artifact of any origin. @throws like readArtifact */
export async function inspectFile(file: string): Promise<Inspection> {
  const artifact = await readArtifact(file);
  return { file, artifact, contentDigest: contentDigest(artifact.entries, '') };
}
