import path from 'node:path';
import { entriesIn } from '../../../core/record/contents-list.ts';
import { formatTag } from '../../../core/version/tag-pattern.ts';
import { cloneAsClient } from '../../../world/git/client-clone.ts';
import { git } from '../../../world/git/run-git.ts';
import type { Context } from '../../context.ts';
import { type ReleaseFolder, requireContentsIn } from '../../release-folder/built-release.ts';
import type { Package, Workspace } from '../../workspace/workspace.ts';
import type { TrialStep } from '../trial.ts';
import { type GitCell, namesIn, tryFromGit } from './try-from-git.ts';

/** A built release, and where clients find other packages meanwhile. */
export type GitRehearsal = {
  readonly release: ReleaseFolder;
  readonly pkg: Package;
  /** Address of the stand-in that its client reads; null where there is none. */
  readonly index: string | null;
};

const states: Readonly<Record<GitCell['state'], TrialStep['state']>> = {
  works: 'installed',
  fails: 'failed',
  'not-tried': 'not-here',
};

/**
 * Installs releases from git before they are tagged, with the clients that can: from a clone that has the tags already.
 * @param top a folder for everything that is made. @returns steps by package.
 */
export async function rehearseFromGit(
  context: Context,
  { repository }: Workspace,
  { releases, top }: { readonly releases: readonly GitRehearsal[]; readonly top: string },
): Promise<ReadonlyMap<string, readonly TrialStep[]>> {
  const clone = await cloneAsClient(repository.commonFolder, top, context);
  const steps = new Map<string, TrialStep[]>();
  for (const { release, pkg, index } of releases) {
    const { version, commit } = release.record;
    const tag = formatTag(pkg, version);
    // A release writes versions into a commit of its own, which is not there yet.
    for (const ref of ['refs/heads/main', `refs/tags/${tag}`]) await git(clone.place, ['update-ref', ref, commit]);
    await git(clone.place, ['symbolic-ref', 'HEAD', 'refs/heads/main']);
    const list = await requireContentsIn(release.folder);
    const shipped = new Set(release.record.artifacts.flatMap(({ file }) => namesIn(entriesIn(list, file) ?? [])));
    const trial = await tryFromGit(context, {
      ...{ pkg, tag: { tag, version, commit }, remote: clone.place.folder },
      ...{ clone: { ...clone, hasHead: true }, top: path.join(top, 'installs'), shipped },
      others: { index, second: null, readingEnv: {} },
    });
    const { client, clientVersion, git: cell } = trial;
    steps.set(pkg.name, [
      {
        client: client ?? '',
        version: clientVersion ?? '',
        destination: 'git',
        state: states[cell.state],
        why: cell.why,
      },
    ]);
  }
  return steps;
}
