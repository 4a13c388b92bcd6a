import type { ArtifactConfig, BuiltForm } from '../config/config.ts';

const ownPerPlatform: readonly BuiltForm[] = ['deb', 'wheel'];
const namedByPlatform: readonly BuiltForm[] = ['tar.gz', 'zip'];

/**
 * How an artifact depends on platforms: made once for `each`, from what was built for `all` of them, or not at all. Its form,
 * its name and its rules say so.
 */
export function platformUse(artifact: ArtifactConfig, platforms: readonly string[]): 'each' | 'all' | 'none' {
  if (platforms.length === 0) return 'none';
  const { name, contents, brought, form } = artifact;
  const names = (texts: readonly (string | null)[]) =>
    texts.some((text) => text !== null && /\{(?:platform|multiarch)\}/.test(text));
  const inRules = names((contents ?? []).flatMap(({ from, to, as }) => [from, to, as]));
  if (ownPerPlatform.includes(form) || names([name, brought])) return 'each';
  if (!inRules) return 'none';
  return namedByPlatform.includes(form) ? 'each' : 'all';
}
