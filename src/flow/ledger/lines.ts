import { isSbom } from '../../core/form/definitions.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { consumerLines, setUpLines } from '../../core/protocol/consumer-line.ts';
import type { ConsumerLine, Offer } from '../../core/protocol/offer.ts';
import { resolveCommit } from '../../world/git/repository.ts';
import { type Context, warnOnce } from '../context.ts';
import { readNamedRelease } from '../ledger-record/named-release.ts';
import { vouchedDeliveries, whyUnverified } from '../ledger-record/vouched.ts';
import { standingDeliveries } from '../release-folder/recorded-release.ts';
import { readerUrl } from '../workspace/open-destination.ts';
import { openContext, readWorkspace, type Workspace } from '../workspace/workspace.ts';
import { shownAddress } from './shown-address.ts';
import { type ReleaseSource, releaseSource } from './source-lines.ts';

/** The answer of `ledger lines`. */
export type ReleaseLines = {
  readonly package: string;
  readonly version: string;
  readonly lines: readonly ConsumerLine[];
  readonly setUp: readonly ConsumerLine[];
  /** Where the SBOMs of the release lie. */
  readonly sboms: readonly SbomPlace[];
  /** How it is built from its sources; null where that was not asked. */
  readonly source: ReleaseSource | null;
  /** Where it was taken back, and why. */
  readonly withdrawals: LedgerRelease['withdrawals'];
};

/** An SBOM of a release, and one place that has it; a release whose destinations have no place for SBOMs has it in its record only. */
export type SbomPlace = {
  readonly file: string;
  readonly sha256: string;
  readonly destination: string | null;
  readonly address: string | null;
};

/** What a consumer types or pastes to get exactly this release, from each destination that has it. @throws RELEASE_NOT_RECORDED */
export async function releaseLines(
  context: Context,
  text: string,
  { isSetUp, isSource }: { readonly isSetUp: boolean; readonly isSource: boolean },
): Promise<ReleaseLines> {
  const repository = await openContext(context);
  const commit = await resolveCommit(repository.place, 'HEAD');
  const workspace = await readWorkspace(context, { repository, commit, source: 'working-folder' });
  const release = await readNamedRelease(context, repository, text);
  const offers = offersOf(context, workspace, release);
  return {
    package: release.package,
    version: release.version,
    lines: offers.flatMap(consumerLines),
    setUp: isSetUp ? offers.flatMap(setUpLines) : [],
    sboms: release.isVouched ? sbomPlaces(context, release, { offers, root: repository.root }) : [],
    source: isSource
      ? await releaseSource(context, { repository, address: workspace.config.repository, release, offers })
      : null,
    withdrawals: release.withdrawals,
  };
}

function sbomPlaces(
  context: Context,
  release: LedgerRelease,
  { offers, root }: { readonly offers: readonly Offer[]; readonly root: string },
): SbomPlace[] {
  return release.artifacts.filter(isSbom).flatMap(({ file, sha256 }): SbomPlace[] => {
    const places = offers.flatMap((offer) =>
      offer.delivered
        .filter(({ artifact }) => artifact === file)
        .map(({ address }) => ({
          file,
          sha256,
          destination: offer.destination,
          address: shownAddress(context, { offer, root }, address),
        })),
    );
    return places.length > 0 ? places : [{ file, sha256, destination: null, address: null }];
  });
}

/**
 * A release at each destination that has it and that the configuration still names. Where no tag vouches for its plan, only
 * names and versions are left of it: no address and no digest of the ledger.
 */
export function offersOf(
  context: Context,
  { config, packages, repository }: Workspace,
  release: LedgerRelease,
): Offer[] {
  const own = packages.find(({ name }) => name === release.package);
  const named: LedgerRelease = release.isVouched
    ? release
    : { ...release, about: { ...release.about, name: own?.fullName ?? release.package } };
  if (!release.isVouched) {
    const text = `${release.package} ${release.version}: ${whyUnverified(release)}; addresses and checksums are left out`;
    warnOnce(context, text);
  }
  return [...standingDeliveries(release).keys()].flatMap((name) => {
    const destination = config.destinations[name];
    if (destination === undefined) return [];
    const delivered = vouchedDeliveries(context, { release, name, config: destination });
    const url = readerUrl(context, { name, config: destination, root: repository.root });
    return [{ destination: name, config: destination, url, release: named, delivered }];
  });
}
