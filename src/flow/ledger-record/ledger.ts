import { foldEvents, type LedgerRelease } from '../../core/ledger/fold.ts';
import type { LedgerEvent } from '../../core/record/event.ts';
import { currentLedger, ledgerRef, readEvents, uniteWithRemote } from '../../world/git/ledger-store.ts';
import { readAnchors } from '../../world/git/remote-tags.ts';
import { currentBranch, type Repository, remoteOf } from '../../world/git/repository.ts';
import { type Context, warnOnce } from '../context.ts';
import { openContext } from '../workspace/workspace.ts';

/** Every release of the ledger, newest first. A clone without the ledger fetches it. */
export async function listReleases(context: Context): Promise<LedgerRelease[]> {
  const releases = await readLedger(context, await openContext(context));
  return releases.filter((release) => context.packages.length === 0 || context.packages.includes(release.package));
}

/**
 * The ledger of a repository, fetched where it is not here yet.
 * @param folders `PACKAGE/VERSION` of the releases that are asked about, null for all.
 */
export async function readLedger(
  context: Context,
  repository: Repository,
  folders: readonly string[] | null = null,
): Promise<LedgerRelease[]> {
  const { place } = repository;
  const isHere = (await currentLedger(place)) !== null;
  const remote = isHere ? null : await remoteOf(place, await currentBranch(place));
  if (remote !== null) await uniteWithRemote(repository, remote);
  return localReleases(context, repository, { folders });
}

/** The ledger of a repository, with what others wrote to the remote's since. */
export async function readFreshLedger(context: Context, repository: Repository): Promise<LedgerRelease[]> {
  const remote = await remoteOf(repository.place, await currentBranch(repository.place));
  if (remote !== null) await uniteWithRemote(repository, remote);
  return localReleases(context, repository);
}

/**
 * The releases of the ledger of this clone, newest first, those first for which a tag vouches. What is damaged in it is a
 * warning, once.
 * @param options `more`: events that are not in the ledger yet; `folders`: `PACKAGE/VERSION` of the releases that are asked about,
 * null for all.
 */
export async function localReleases(
  context: Context,
  repository: Repository,
  {
    more = [],
    folders = null,
  }: { readonly more?: readonly LedgerEvent[]; readonly folders?: readonly string[] | null } = {},
): Promise<LedgerRelease[]> {
  const { events, damaged, unknown } = await readEvents(repository, folders);
  const all = [...events, ...more];
  const tags = [...new Set(all.flatMap((event) => (event.type === 'planned' ? [event.tag] : [])))];
  const { releases, damage } = foldEvents(all, await readAnchors(repository.place, tags));
  const [first] = damaged;
  if (first !== undefined) {
    const others = damaged.length === 1 ? '' : `, and ${damaged.length - 1} more files like it`;
    warnOnce(
      context,
      `the ledger is damaged and partly ignored: ${first.file}: ${first.why}${others}; see git show ${ledgerRef}:${first.file}`,
    );
  }
  for (const text of damage.slice(0, 5)) warnOnce(context, `the ledger is damaged: ${text}`);
  if (damage.length > 5) warnOnce(context, `the ledger is damaged in ${damage.length - 5} more places`);
  if (unknown.length > 0)
    warnOnce(
      context,
      `the ledger has events of a newer Bevelstone, which are ignored: ${unknown.slice(0, 5).join(', ')}`,
    );
  return [...releases];
}
