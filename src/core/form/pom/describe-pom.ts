import { isBevelstoneError } from '../../error/bevelstone-error.ts';
import { pomFormat } from '../../manifest/pom-xml.ts';
import type { Describe } from '../definition.ts';
import type { RawArtifact } from '../description.ts';

/** A POM by itself. */
export function describePom({ container, entries, texts }: RawArtifact): ReturnType<Describe> {
  const path = entries[0]?.path ?? '';
  const text = texts.get(path);
  if (container !== 'text') return null;
  // Only texts with the name of one are kept.
  if (text === undefined) return /\.pom$|^pom\.xml$/i.test(path) ? { form: 'pom', problem: 'it is too large' } : null;
  try {
    return { form: 'pom', manifest: { path, json: {}, common: pomFormat.read(text, path) } };
  } catch (error) {
    if (!isBevelstoneError(error, 'MANIFEST_INVALID')) throw error;
    return { form: 'pom', problem: error.why };
  }
}
