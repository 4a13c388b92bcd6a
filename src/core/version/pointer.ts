import { compareVersions, highestVersion, isNormal, isVersion } from './version.ts';

/**
 * The pointer that a delivery moves: `latest` only for a stable version above every stable one that is there, else the
 * stream's own name (docs/design/versions.md, "Pointers").
 * @param there versions that the destination has already; anything that is not a version is skipped.
 */
export function pointerFor(
  version: string,
  stream: { readonly type: string; readonly pointer: string },
  there: Iterable<string>,
): string {
  if (stream.type !== 'stable' || !isNormal(version)) return stream.pointer;
  const others = [...there].filter((other) => other !== version && isVersion(other) && isNormal(other));
  const highest = highestVersion(others);
  return highest === null || compareVersions(version, highest) > 0 ? 'latest' : stream.pointer;
}
