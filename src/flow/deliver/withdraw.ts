import { ecosystemDefinitions } from '../../core/ecosystem/definitions.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerDelivery, LedgerRelease } from '../../core/ledger/fold.ts';
import { redact } from '../../core/text/redact.ts';
import { compareVersions } from '../../core/version/version.ts';
import { readTextIfThere, writeWhole } from '../../world/files.ts';
import { currentBranch, remoteOf, resolveCommit } from '../../world/git/repository.ts';
import { closeConnections } from '../../world/http.ts';
import { placeInside } from '../../world/place-inside.ts';
import type { Context } from '../context.ts';
import { readLedger } from '../ledger-record/ledger.ts';
import { beginLedgerRun } from '../ledger-record/ledger-run.ts';
import { destinationNamed, findRelease, standingDeliveries, subjectOf } from '../release-folder/recorded-release.ts';
import { openDestination } from '../workspace/open-destination.ts';
import { ensureTrust } from '../workspace/trust.ts';
import { openContext, readWorkspace, type Workspace } from '../workspace/workspace.ts';
import type { Delivery } from './deliver.ts';

/** What is to be taken back. */
export type WithdrawOptions = {
  /** `PACKAGE@VERSION` */
  readonly release: string;
  readonly from: string;
  readonly reason: string;
  /** Whether it should be erased where the protocol would only mark it. */
  readonly erase: boolean;
  readonly dryRun: boolean;
  /** The version that pointers lead to instead, or `previous`; null to leave them alone. */
  readonly fallBackTo: string | null;
};

/** The answer of `withdraw`. */
export type Withdrawn = {
  readonly package: string;
  readonly version: string;
  readonly destination: string;
  readonly dryRun: boolean;
  /** What was done; null in a dry run. */
  readonly how: string | null;
  /** What the protocol cannot do. */
  readonly limits: string | null;
  /** The version that pointers lead to instead; null where none was asked for. */
  readonly fallBackTo: string | null;
  /** Pointers that were moved to it. */
  readonly pointers: readonly string[];
  /** The manifest that says now that the version is taken back; null where none has a place for that. */
  readonly edited: string | null;
  readonly deliveries: readonly Delivery[];
};

/**
 * Takes a release back at a destination, the way its protocol allows, and records that. The version stays used up.
 * @throws RELEASE_NOT_RECORDED, WITHDRAW_IMPOSSIBLE, NOTHING_TO_RELEASE when it is not there (any more).
 */
export async function withdrawRelease(
  context: Context,
  options: WithdrawOptions,
  confirm: (release: LedgerRelease) => Promise<void>,
): Promise<Withdrawn> {
  const repository = await openContext(context);
  const workspace = await readWorkspace(context, {
    repository,
    commit: await resolveCommit(repository.place, 'HEAD'),
    source: 'commit',
  });
  const config = destinationNamed(workspace, options.from);
  const known = await readLedger(context, repository);
  const release = findRelease(known, options.release);
  const standing = deliveriesToWithdraw(release, options);
  const { package: name, version } = release;
  if (standing.length === 0) throw notThere(release, options.from);
  const instead = options.fallBackTo === null ? null : insteadOf(release, known, options);
  const fallBackTo = instead?.version ?? null;
  const outcome = {
    package: name,
    version,
    destination: options.from,
    dryRun: options.dryRun,
    fallBackTo,
    pointers: [],
    edited: null,
  };
  const state = (name: Delivery['state']): Delivery[] =>
    standing.map(({ isContradicted: _, ...delivery }) => ({
      ...delivery,
      why: null,
      state: name,
      isUnconfirmed: false,
      code: null,
    }));
  if (options.dryRun) return { ...outcome, how: null, limits: null, deliveries: state('pending') };
  await ensureTrust(context, workspace, [options.from]);
  const destination = await openDestination(context, { name: options.from, config, repository });
  await confirm(release);
  // It is public and permanent.
  const reason = redact(options.reason, context.secrets);
  try {
    const what = `withdraw ${name} ${version} from ${options.from}`;
    context.report({ type: 'started', what });
    // First, so that no user who asks for the newest version gets this one.
    const pointed = instead === null ? [] : await destination.fallBack(subjectOf(release), subjectOf(instead));
    const { how, limits } = await destination.withdraw(subjectOf(release), {
      reason,
      erase: options.erase,
      delivered: standing,
    });
    context.report({ type: 'finished', what, detail: how });
    const remote = await remoteOf(repository.place, await currentBranch(repository.place));
    const run = await beginLedgerRun(context, repository, remote);
    run.writer.add({
      type: 'withdrawn',
      package: name,
      version,
      destination: options.from,
      how,
      reason,
    });
    for (const { pointer } of pointed)
      run.writer.add({
        type: 'pointed',
        package: name,
        version: fallBackTo ?? '',
        destination: options.from,
        pointer,
        from: version,
      });
    await run.record(`Record that ${name} ${version} was withdrawn from ${options.from}`);
    const pointers = pointed.map(({ pointer }) => pointer);
    const edited = await writeTakeBack(workspace, release, reason);
    return { ...outcome, how, limits, pointers, edited, deliveries: state('withdrawn') };
  } finally {
    await closeConnections();
  }
}

/** Writes into the working folder's manifest that a version is taken back: users learn it from the next version. */
async function writeTakeBack(
  { packages, repository: { root } }: Workspace,
  release: LedgerRelease,
  reason: string,
): Promise<string | null> {
  const own = packages.find(({ name }) => name === release.package);
  const takeBack = own === undefined ? null : ecosystemDefinitions[own.ecosystem].takeBack;
  if (own?.manifestPath == null || takeBack === null) return null;
  const place = await placeInside(root, own.manifestPath, 'the manifest');
  const text = await readTextIfThere(place);
  const changed = text === null ? null : takeBack(text, release.version, reason);
  if (changed === null) return null;
  await writeWhole(place, changed);
  return own.manifestPath;
}

/** What is there; to be erased also what was only marked before. */
function deliveriesToWithdraw(
  release: LedgerRelease,
  { from, erase }: Pick<WithdrawOptions, 'from' | 'erase'>,
): readonly LedgerDelivery[] {
  const standing = standingDeliveries(release).get(from) ?? [];
  const last = release.withdrawals.findLast(({ destination }) => destination === from);
  if (standing.length > 0 || !erase || last === undefined || /delete/.test(last.how)) return standing;
  return release.deliveries.filter(({ destination }) => destination === from);
}

/** The release that pointers are to lead to. @throws RELEASE_NOT_RECORDED, USAGE when it is not there */
function insteadOf(
  release: LedgerRelease,
  known: readonly LedgerRelease[],
  { from, fallBackTo }: WithdrawOptions,
): LedgerRelease {
  const there = known
    .filter((other) => other.package === release.package && other.version !== release.version)
    .filter((other) => standingDeliveries(other).has(from));
  const isOlder = (other: LedgerRelease) =>
    compareVersions(other.version, release.version) < 0 && other.about.stream.name === release.about.stream.name;
  const found =
    fallBackTo === 'previous'
      ? there.filter(isOlder).sort((a, b) => compareVersions(b.version, a.version))[0]
      : there.find(({ version }) => version === fallBackTo);
  if (found !== undefined) return found;
  const others = there.map(({ version }) => version);
  throw new BevelstoneError('USAGE', {
    message:
      fallBackTo === 'previous'
        ? `${from} has no earlier release of ${release.package}`
        : `${from} does not have ${release.package} ${fallBackTo}`,
    why: others.length === 0 ? 'the ledger has no other release there' : `the ledger has ${others.join(', ')} there`,
    fix: others.length === 0 ? 'Leave --fall-back-to out' : `Name one of them: --fall-back-to ${others[0]}`,
  });
}

function notThere({ package: name, version, deliveries }: LedgerRelease, from: string): BevelstoneError {
  const isWithdrawn = deliveries.some(({ destination }) => destination === from);
  const others = [...new Set(deliveries.map(({ destination }) => destination))].filter((name) => name !== from);
  return new BevelstoneError('NOTHING_TO_RELEASE', {
    message: `${name} ${version} is not at ${from}`,
    why: isWithdrawn ? 'according to the ledger it was already withdrawn' : 'the ledger has no upload of it there',
    fix: others.length === 0 ? 'Nothing to do' : `It was uploaded to ${others.join(', ')}`,
  });
}
