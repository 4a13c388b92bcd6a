import { foldEvents, type LedgerRelease } from '../core/ledger/event.ts';
import { currentLedger, readEvents, uniteWithRemote } from '../world/git/ledger-store.ts';
import { currentBranch, type Repository, remoteOf } from '../world/git/repository.ts';
import type { Context } from './context.ts';
import { openContext } from './workspace.ts';

/** Every release of the ledger, newest first. A clone that lacks the ledger fetches it. */
export async function listReleases(context: Context): Promise<LedgerRelease[]> {
  const releases = await readLedger(await openContext(context));
  return releases.filter((one) => context.packages.length === 0 || context.packages.includes(one.package));
}

/** The ledger of a repository, fetched where it is not here yet. */
export async function readLedger(repository: Repository): Promise<LedgerRelease[]> {
  const { place } = repository;
  const isHere = (await currentLedger(place)) !== null;
  const remote = isHere ? null : await remoteOf(place, await currentBranch(place));
  if (remote !== null) await uniteWithRemote(repository, remote);
  return foldEvents(await readEvents(repository));
}
