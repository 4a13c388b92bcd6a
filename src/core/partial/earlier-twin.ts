import { type ArtifactRecord, areTwins } from '../record/release-record.ts';

/** A release, as far as its artifacts are compared with those of another. */
type Release = { readonly version: string; readonly artifacts: readonly ArtifactRecord[] };

/**
 * The artifact of an earlier release that an artifact takes the place of: of the same form and platform, and called the same but
 * for the version; where there is only one of its kind in both, whatever it was called.
 */
export function earlierTwin(after: ArtifactRecord, now: Release, before: Release): ArtifactRecord | undefined {
  const isLike = (artifact: ArtifactRecord) => areTwins(artifact, after);
  const like = before.artifacts.filter(isLike);
  const name = after.file.replaceAll(now.version, '');
  const named = like.find(({ file }) => file.replaceAll(before.version, '') === name);
  const isOnlyOne = like.length === 1 && now.artifacts.filter(isLike).length === 1;
  return named ?? (isOnlyOne ? like[0] : undefined);
}
