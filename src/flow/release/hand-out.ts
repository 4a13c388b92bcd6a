import path from 'node:path';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { copyFolder, makeFolder, writeWhole } from '../../world/files.ts';
import type { Repository } from '../../world/git/repository.ts';
import { git } from '../../world/git/run-git.ts';
import { placeInside } from '../../world/place-inside.ts';
import { platformsHere } from '../build/build.ts';
import { pendingOf } from '../build/build-package.ts';
import type { Context } from '../context.ts';
import { type ReleaseFolder, readableFolders } from '../release-folder/built-release.ts';
import type { Run } from '../run/run.ts';
import type { Survey } from '../survey/survey.ts';
import type { Releasing } from './releasing.ts';

/** The ref under which other machines find the commit of a run. */
function handedOutRef(run: string): string {
  return `refs/bevelstone/handed-out/${run}`;
}

/**
 * Pushes the commit of a run, which no branch has yet, so that other machines can build it.
 * @returns what is typed there and here.
 */
export async function handOut({
  repository,
  run: { id, journal, opened },
  commit,
  releasing,
}: {
  readonly repository: Repository;
  readonly run: Run;
  readonly commit: string;
  readonly releasing: readonly Releasing[];
}): Promise<string[]> {
  const ref = handedOutRef(id);
  const remote = opened.remote ?? 'origin';
  await git(repository.place, ['push', '--no-verify', '--porcelain', remote, `${commit}:${ref}`]);
  journal.append({ step: 'committed', key: 'handed-out', phase: 'done', data: { ref } });
  const pending = releasing.flatMap(({ pkg }) => pendingOf({ pkg, platforms: platformsHere(pkg, []) }));
  const platforms = [...new Set(pending.map(({ platform }) => platform))];
  return [
    'on each other machine, in a clone of this repository:',
    `  git fetch ${remote} ${ref}`,
    ...(platforms.length === 0 ? ['PLATFORM'] : platforms).map(
      (platform) =>
        `  BEVELSTONE_BRANCH=${opened.branch ?? 'main'} bevelstone build --at ${commit} --platform ${platform}`,
    ),
    'then here, with their output folders:',
    `  BEVELSTONE_BRANCH=${opened.branch ?? 'main'} bevelstone build --at ${commit}`,
    `  bevelstone gather bevelstone-out DIR…`,
    `  bevelstone release --resume ${id}`,
  ];
}

/** What was gathered for the run's commit is taken as built. */
export async function takeGathered(
  context: Context,
  { folder, journal, opened }: Run,
  { commit, workspace }: Survey,
): Promise<void> {
  if (!journal.isDone('committed', 'handed-out')) return;
  const out = path.join(folder, 'out');
  await makeFolder(out);
  const output = await placeInside(workspace.repository.root, workspace.config.output, '`output`');
  const needed = new Set(workspace.packages.map(({ name }) => name));
  for (const { folder: built, record } of await readableFolders(context, output, needed)) {
    if (record.commit !== commit || record.uncommitted) continue;
    const copy = path.join(out, path.basename(built));
    await copyFolder(built, copy);
    // Whoever built it knew the commit only, not what it was made from.
    const own = { ...record, source: opened.source };
    await writeWhole(path.join(copy, 'release.json'), `${JSON.stringify(own, null, 2)}\n`);
  }
}

/** Takes the ref back when the run is over. */
export async function forgetHandedOut({ place }: Repository, { id, journal, opened }: Run): Promise<void> {
  if (!journal.isDone('committed', 'handed-out') || opened.remote === null) return;
  await git(place, ['push', '--no-verify', '--porcelain', opened.remote, `:${handedOutRef(id)}`], { allow: [1, 128] });
}

/** The error for platforms that were not built; null if all are there or excluded. */
export function pendingPlatforms(
  releases: readonly ReleaseFolder[],
  without: readonly string[],
): BevelstoneError | null {
  const pending = releases.flatMap(({ record }) =>
    record.pending
      .filter(({ platform }) => !without.includes(platform))
      .map(({ form, platform }) => ({ text: `${record.package} ${form} for ${platform}`, platform })),
  );
  const [first] = pending;
  if (first === undefined) return null;
  return new BevelstoneError('PLATFORM_PENDING', {
    message: `artifacts of ${[...new Set(pending.map(({ platform }) => platform))].join(', ')} are missing`,
    why: pending.map(({ text }) => text).join('\n'),
    fix: `Build them on such a machine and gather them, or abandon the run and release without them: --without ${first.platform}`,
  });
}
