import { type ConsumerLine, consumerLines, type Offer, setUpLines } from '../core/consumer/consumer-line.ts';
import type { LedgerRelease } from '../core/ledger/event.ts';
import { resolveCommit } from '../world/git/repository.ts';
import type { Context } from './context.ts';
import { readerUrl } from './destinations.ts';
import { readLedger } from './ledger.ts';
import { findRelease, standingDeliveries } from './recorded-release.ts';
import { openContext, readWorkspace, type Workspace } from './workspace.ts';

/** The answer of `ledger lines`. */
export type ReleaseLines = {
  readonly package: string;
  readonly version: string;
  readonly lines: readonly ConsumerLine[];
  readonly setUp: readonly ConsumerLine[];
};

/** What a consumer types or pastes to get exactly this release, from each destination that has it. @throws RELEASE_NOT_RECORDED */
export async function releaseLines(context: Context, text: string, isSetUp: boolean): Promise<ReleaseLines> {
  const repository = await openContext(context);
  const commit = await resolveCommit(repository.place, 'HEAD');
  const workspace = await readWorkspace(context, repository, commit, 'working-folder');
  const release = findRelease(await readLedger(repository), text);
  const offers = offersOf(context, workspace, release);
  return {
    package: release.package,
    version: release.version,
    lines: offers.flatMap(consumerLines),
    setUp: isSetUp ? offers.flatMap(setUpLines) : [],
  };
}

/** A release at each destination that has it and that the configuration still names. */
export function offersOf(context: Context, { config }: Workspace, release: LedgerRelease): Offer[] {
  return [...standingDeliveries(release)].flatMap(([name, deliveries]) => {
    const destination = config.destinations[name];
    if (destination === undefined) return [];
    const delivered = release.artifacts.flatMap((record) => {
      const one = deliveries.find(({ artifact }) => artifact === record.file);
      return one === undefined ? [] : [{ ...one, record }];
    });
    return [{ destination: name, config: destination, url: readerUrl(context, name, destination), release, delivered }];
  });
}
