import type { Config } from '../../core/config/config.ts';
import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { keptForms, refusesRelease, takesForm } from '../../core/plan/delivery-plan.ts';
import { currentLedger, uniteWithRemote } from '../../world/git/ledger-store.ts';
import { readAnchors } from '../../world/git/remote-tags.ts';
import { currentBranch, type Repository, remoteOf } from '../../world/git/repository.ts';
import { type Context, detailOnce, quietly } from '../context.ts';
import { localReleases } from './ledger.ts';
import { vouchedDeliveries } from './vouched.ts';

/**
 * Whether a destination that a release was planned for lacks one of its files, as far as the ledger tells. What was taken back from
 * one is not missing there.
 */
export function isIncomplete(context: Context, release: LedgerRelease, config: Config): boolean {
  const kept = keptForms(config.packages[release.package]);
  return release.destinations.some((name) => {
    const destination = config.destinations[name];
    if (destination === undefined || refusesRelease(destination, release.about) !== null) return false;
    if (release.withdrawals.some(({ destination: from }) => from === name)) return false;
    const there = new Set(
      vouchedDeliveries(context, { release, name, config: destination }).map(({ artifact }) => artifact),
    );
    return release.planned.some(
      ({ file, form }) => takesForm(destination, form) && !kept.has(form) && !there.has(file),
    );
  });
}

/** A tag of a package's version. */
export type NamedTag = { readonly package: string; readonly version: string; readonly tag: string };

/** What the ledger says of tagged releases. */
export type TaggedReleases = {
  /** The one that a run of another clone left unfinished; null when all are finished, or none was made by a run. */
  readonly unfinished: LedgerRelease | null;
  /** Those that were taken back somewhere. */
  readonly withdrawn: readonly LedgerRelease[];
};

/**
 * Looks these tags up in the ledger. It is fetched where this clone has none, and before a release is called unfinished; an
 * unreachable remote changes nothing.
 */
export async function lookUpTags(
  context: Context,
  repository: Repository,
  { tags, config }: { readonly tags: readonly NamedTag[]; readonly config: Config },
): Promise<TaggedReleases> {
  const anchors = await readAnchors(
    repository.place,
    tags.map(({ tag }) => tag),
  );
  const planned = tags.filter(({ tag }) => (anchors.get(tag)?.plan ?? null) !== null);
  if (planned.length === 0) return { unfinished: null, withdrawn: [] };
  const folders = planned.map(({ package: name, version }) => `${name}/${version}`);
  const find = async () => {
    const releases = await localReleases(quietly(context), repository, { folders });
    const vouched = releases.filter(({ isVouched }) => isVouched);
    const isOpen = (release: LedgerRelease) => !release.isAbandoned && seemsIncomplete(context, release, config);
    return {
      unfinished: vouched.find(isOpen) ?? null,
      withdrawn: vouched.filter(({ withdrawals }) => withdrawals.length > 0),
    };
  };
  const isHere = (await currentLedger(repository.place)) !== null;
  const found = isHere ? await find() : null;
  if (found !== null && found.unfinished === null) return found;
  // The ledger of this clone may be older than the end of the run.
  await fetchLedger(repository);
  return find();
}

/** The same for a look in passing: without the address of a destination nothing can be said of it. */
function seemsIncomplete(context: Context, release: LedgerRelease, config: Config): boolean {
  try {
    return isIncomplete(quietly(context), release, config);
  } catch (error) {
    if (!isBevelstoneError(error, 'ENVIRONMENT_MISSING')) throw error;
    detailOnce(context, `not checked whether ${release.tag} is delivered everywhere: ${error.why}`);
    return false;
  }
}

async function fetchLedger(repository: Repository): Promise<void> {
  const { place } = repository;
  const remote = await remoteOf(place, await currentBranch(place));
  if (remote !== null) await uniteWithRemote(repository, remote);
}
