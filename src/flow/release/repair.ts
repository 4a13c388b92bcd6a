import path from 'node:path';
import { inDependencyOrder } from '../../core/plan/delivery-plan.ts';
import { sweepTagLocks } from '../../world/git/ref-locks.ts';
import { readRemoteRefs } from '../../world/git/remote-refs.ts';
import { readLocalTag, readTag, tagObject } from '../../world/git/remote-tags.ts';
import type { Repository } from '../../world/git/repository.ts';
import { type Context, warn } from '../context.ts';
import { readFolders } from '../release-folder/built-release.ts';
import type { Run } from '../run/run.ts';

/**
 * Finds out again what a damaged journal has lost: whether the run's tags are on the remote, which decides whether it is only
 * finished from here on. Everything after that is asked of the destinations anyway (docs/design/release-run.md).
 * @throws REMOTE_REFUSED when the remote cannot be asked; the run stays as it is.
 */
export async function repairRun(context: Context, repository: Repository, run: Run): Promise<void> {
  const { journal, opened, folder } = run;
  const releases = inDependencyOrder(await readFolders(path.join(folder, 'out')));
  await sweepTagLocks(
    repository.commonFolder,
    releases.map(({ record }) => record.tag),
  );
  if (!journal.isDamaged) return;
  warn(
    context,
    `the journal of ${run.id} is damaged behind record ${journal.records.length}; git and the destinations are asked instead`,
  );
  if (!journal.isDone('push') && opened.remote !== null && releases.length > 0) {
    const tags = releases.map(({ record }) => record.tag);
    const there = await readRemoteRefs(
      repository.place,
      opened.remote,
      tags.map((tag) => `refs/tags/${tag}`),
    );
    const own: string[] = [];
    for (const tag of tags)
      if (await isOwnTag({ repository, run, tag, id: there.get(`refs/tags/${tag}`) ?? null })) own.push(tag);
    if (own.length === tags.length)
      await recordPush({ repository, run, tags: own, order: releases.map(({ record }) => record.package) });
  }
  await journal.markRepaired();
}

/** Whether the remote's tag is the one that this run made here: the same object, with the run's mark in it. */
async function isOwnTag({
  repository: { place },
  run: { opened },
  tag,
  id,
}: {
  readonly repository: Repository;
  readonly run: Run;
  readonly tag: string;
  readonly id: string | null;
}): Promise<boolean> {
  if (id === null) return false;
  const found = await readTag(place, `refs/tags/${tag}`);
  return found?.id === id && found.text.includes(`\nBevelstone-Run: ${opened.mark}\n`);
}

async function recordPush({
  repository: { place },
  run: { journal },
  tags,
  order,
}: {
  readonly repository: Repository;
  readonly run: Run;
  readonly tags: readonly string[];
  readonly order: readonly string[];
}): Promise<void> {
  const commit = (await readLocalTag(place, tags[0] ?? ''))?.commit;
  if (!journal.isDone('committed')) journal.append({ step: 'committed', phase: 'done', data: { commit, tree: null } });
  if (journal.done('built') === null) journal.append({ step: 'built', phase: 'done', data: order });
  for (const name of tags)
    journal.append({ step: 'tagged', key: name, phase: 'done', data: { name, id: await tagObject(place, name) } });
  journal.append({ step: 'push', phase: 'done', data: { by: 'the remote has the tags of this run' } });
}
