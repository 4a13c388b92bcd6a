import type { ArtifactConfig } from '../config/config.ts';
import { formDefinitions } from './definitions.ts';

/**
 * How an artifact depends on platforms: made once for `each`, from what was built for `all` of them, or not at all. Its form,
 * its name and its rules say so.
 */
export function platformUse(artifact: ArtifactConfig, platforms: readonly string[]): 'each' | 'all' | 'none' {
  if (platforms.length === 0) return 'none';
  const { name, files, brought, form } = artifact;
  const habit = formDefinitions[form].platforms;
  const names = (texts: readonly (string | null)[]) =>
    texts.some((text) => text !== null && /\{(?:platform|multiarch)\}/.test(text));
  const inRules = names((files ?? []).flatMap(({ from, to, as }) => [from, to, as]));
  if (habit === 'one-each' || names([name, brought])) return 'each';
  if (!inRules) return 'none';
  return habit === 'one-each-if-named' ? 'each' : 'all';
}
