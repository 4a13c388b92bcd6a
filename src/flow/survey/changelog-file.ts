import path from 'node:path';
import { decodeChangelog, extendChangelog } from '../../core/changelog/extend-changelog.ts';
import { newChangelog } from '../../core/changelog/new-changelog.ts';
import type { ReleaseNotes } from '../../core/changelog/section.ts';
import { readBytesIfThere, writeWhole } from '../../world/files.ts';
import { committerIdentity } from '../../world/git/repository.ts';
import { placeInside } from '../../world/place-inside.ts';
import { type Context, warn } from '../context.ts';
import type { Survey, SurveyedPackage } from './survey.ts';

/**
 * Adds a release to the changelog of its package, below a folder that holds the repository's files.
 * @returns the path of the changelog in the repository, and whether it was changed.
 * @throws CHANGELOG_UNREADABLE
 */
export async function extendChangelogFile(
  context: Context,
  {
    survey,
    surveyed,
    notes,
    at,
    root,
  }: {
    readonly survey: Survey;
    readonly surveyed: SurveyedPackage;
    readonly notes: ReleaseNotes & { readonly version: string };
    readonly at: Date;
    readonly root: string;
  },
): Promise<{ readonly inside: string; readonly isChanged: boolean }> {
  const { repository, config } = survey.workspace;
  const inside = path.posix.join(surveyed.folder === '.' ? '' : surveyed.folder, config['write-back'].changelog);
  const file = await placeInside(root, inside, 'the changelog');
  const bytes = await readBytesIfThere(file);
  const maintainer = await committerIdentity(repository.place);
  const debian = { version: surveyed.spellings.debian ?? `${notes.version}-1`, maintainer, at };
  const about = { file: inside, notes, links: config.links, debian };
  const { text, change } = extendChangelog({
    ...about,
    text: bytes === null ? newChangelog(inside, notes.package) : decodeChangelog(bytes, inside),
  });
  if (change === 'already-there') {
    warn(
      context,
      `${inside} already has a section for ${notes.version}; it was not changed; remove it to have it written again`,
    );
    return { inside, isChanged: false };
  }
  if (change === 'moved')
    warn(context, `${inside}: what was written there as not released yet is the section of ${notes.version}`);
  await writeWhole(file, text);
  return { inside, isChanged: true };
}
