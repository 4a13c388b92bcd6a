import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { carrierOf } from '../../core/name/protocol.ts';
import { protocolDefinitions } from '../../core/protocol/definitions.ts';
import type { Offer } from '../../core/protocol/offer.ts';
import { entriesIn } from '../../core/record/contents-list.ts';
import type { Destination } from '../../destination/destination.ts';
import { usualCredential } from '../../store/authorization.ts';
import { readCredential } from '../../world/credential.ts';
import { uniteWithRemote } from '../../world/git/ledger-store.ts';
import { currentBranch, type Repository, remoteOf, resolveCommit } from '../../world/git/repository.ts';
import { closeConnections } from '../../world/http.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import { countDown, poll } from '../../world/poll.ts';
import type { Context } from '../context.ts';
import { compareBytes } from '../deliver/deliver.ts';
import { offersOf } from '../ledger/lines.ts';
import { readContentsList } from '../ledger-record/last-artifact.ts';
import { readLedger } from '../ledger-record/ledger.ts';
import { whyUnverified } from '../ledger-record/vouched.ts';
import { findRelease, standingDeliveries, subjectOf } from '../release-folder/recorded-release.ts';
import { openDestination } from '../workspace/open-destination.ts';
import { ensureTrust, originsFor } from '../workspace/trust.ts';
import { openContext, readWorkspace, type Workspace } from '../workspace/workspace.ts';
import type { Wanted } from './client/client.ts';
import { clientFor } from './client/clients.ts';
import { outsideNames, upstreamFor, withUpstream } from './outside.ts';
import { reportStep, type TriedRelease } from './rehearse.ts';
import { type TrialStep, trialsFor, tryOut } from './trial.ts';

/** What is to be confirmed. */
export type ConfirmOptions = {
  /** `PACKAGE@VERSION`; null for the newest release of each package. */
  readonly release: string | null;
  /** How long to wait at each destination, in milliseconds. */
  readonly withinMs: number;
};

/** The answer of `confirm`. */
export type Confirmed = { readonly releases: readonly TriedRelease[]; readonly error: BevelstoneError | null };

/**
 * Looks at a release as a stranger does: at each destination that the ledger names its bytes are fetched and compared, its
 * index is asked until it lists the release, then the ecosystem's client installs it in an empty folder, what came is
 * compared with the contents list, and the trial runs. Never uploads; needs nothing but a clone.
 * @throws RELEASE_NOT_RECORDED
 */
export async function confirmReleases(context: Context, options: ConfirmOptions): Promise<Confirmed> {
  const repository = await openContext(context);
  const workspace = await readWorkspace(context, {
    repository,
    commit: await resolveCommit(repository.place, 'HEAD'),
    source: 'commit',
  });
  const remote = await remoteOf(repository.place, await currentBranch(repository.place));
  if (remote !== null) await uniteWithRemote(repository, remote);
  const known = await readLedger(context, repository);
  const wanted =
    options.release === null ? newestOfEach(known, context.packages) : [findRelease(known, options.release)];
  const releases: TriedRelease[] = [];
  await ensureTrust(
    context,
    workspace,
    wanted.flatMap((release) => [...standingDeliveries(release).keys()]),
  );
  try {
    for (const release of wanted) releases.push(await confirmOne(context, { repository, workspace, release }, options));
  } finally {
    await closeConnections();
  }
  const open = releases.flatMap(({ package: name, version, steps }) =>
    steps
      .filter(({ state }) => !['installed', 'unpacked', 'not-here'].includes(state))
      .map((step) => ({ ...step, what: `${name} ${version}` })),
  );
  return { releases, error: open.length === 0 ? null : notConfirmed(open) };
}

function newestOfEach(known: readonly LedgerRelease[], packages: readonly string[]): LedgerRelease[] {
  const names = [...new Set(known.map((release) => release.package))].filter(
    (name) => packages.length === 0 || packages.includes(name),
  );
  return names.flatMap((name) => known.find((release) => release.package === name) ?? []);
}

type Question = { readonly repository: Repository; readonly workspace: Workspace; readonly release: LedgerRelease };

async function confirmOne(context: Context, question: Question, options: ConfirmOptions): Promise<TriedRelease> {
  const { workspace, release } = question;
  const steps: TrialStep[] = [];
  for (const offer of offersOf(context, workspace, release))
    steps.push(...(await confirmAt(context, { question, offer, confirmOptions: options })));
  return { package: release.package, version: release.version, steps };
}

async function confirmAt(
  context: Context,
  {
    question: { repository, workspace, release },
    offer,
    confirmOptions: { withinMs },
  }: { readonly question: Question; readonly offer: Offer; readonly confirmOptions: ConfirmOptions },
): Promise<TrialStep[]> {
  const { destination: name, config } = offer;
  const client = clientFor(config.speaks).name;
  const blank = { client, version: '', destination: name };
  const what = `${release.package} ${release.version} at ${name}`;
  context.report({ type: 'started', what });
  try {
    const destination = await openDestination(context, { name, config, repository });
    if (!release.isVouched || offer.delivered.length === 0)
      return failed(context, what, await lookOnly(destination, offer, blank));
    const left = countDown(withinMs);
    const lost = await waitFor(context, { what, withinMs: left(), ask: () => compareAll(destination, offer) });
    if (lost !== null) return failed(context, what, { ...blank, state: 'failed', why: lost });
    const hidden = await waitFor(context, { what, withinMs: left(), ask: () => listedAll(destination, offer) });
    if (hidden !== null) return failed(context, what, { ...blank, state: 'delivered', why: hidden });
    context.report({ type: 'finished', what, detail: 'visible, same bytes' });
    const place = { env: context.env, folder: repository.root, origins: originsFor(context, name, config) };
    const own = usualCredential(carrierOf(config), await readCredential(config.credential, place, context.secrets));
    // No client of an ecosystem signs requests: it reads what everyone may.
    const isSigned = own.type === 'keys' && clientFor(config.speaks).installsByName;
    const credential = isSigned ? ({ type: 'none' } as const) : own;
    const upstream = upstreamFor(context, 'confirm.upstream', {
      config: workspace.config.confirm.upstream,
      speaks: config.speaks,
    });
    return await installFrom(
      context,
      { repository, workspace, release },
      { offer, credential, upstream, moved: [], files: null },
    );
  } catch (error) {
    if (!isBevelstoneError(error)) throw error;
    return failed(context, what, { ...blank, state: 'failed', why: `${error.message}: ${error.why}` });
  }
}

async function installFrom(
  context: Context,
  { repository, workspace, release }: Question,
  asked: Wanted,
): Promise<TrialStep[]> {
  const own = workspace.packages.find((pkg) => pkg.name === release.package);
  const inside = new Set(workspace.packages.map(({ fullName }) => fullName));
  const outside = own === undefined ? [] : outsideNames(own, workspace.packages);
  const list = await readContentsList(repository, release);
  const place = await makeOwnFolder(repository.commonFolder, 'confirm');
  const { wanted, close } = await withUpstream(context, asked, { folder: place.folder, inside });
  const steps: TrialStep[] = [];
  try {
    for (const item of trialsFor(own?.config.trial ?? [], wanted)) {
      const what = `install ${release.package} ${release.version} from ${asked.offer.destination} with ${item.client.name}`;
      context.report({ type: 'started', what });
      const step = await tryOut(context, item, {
        wanted: [wanted],
        entriesOf: async (artifact) => entriesIn(list, artifact),
        commonFolder: repository.commonFolder,
        outside,
      });
      reportStep(context, what, step);
      steps.push(step);
    }
    return steps;
  } finally {
    await close();
    await place.remove();
  }
}

/** Whether the version is there at all is the one thing that needs nothing of the ledger. */
async function lookOnly(
  destination: Destination,
  { release }: Offer,
  blank: Omit<TrialStep, 'state' | 'why'>,
): Promise<TrialStep> {
  const { versionState } = await destination.nameState(subjectOf(release));
  const why = release.isVouched
    ? 'not compared: the ledger has no address of it at this destination as it is configured'
    : `not compared: ${whyUnverified(release)}`;
  return { ...blank, state: versionState === 'there' ? 'visible' : 'failed', why };
}

function failed(context: Context, what: string, step: TrialStep): TrialStep[] {
  context.report({ type: 'failed', what, why: step.why ?? '' });
  return [step];
}

/** Asks until there is nothing to complain about or the time is over. @returns null, or the last problem. */
async function waitFor(
  context: Context,
  {
    what,
    withinMs,
    ask,
  }: { readonly what: string; readonly withinMs: number; readonly ask: () => Promise<string | null> },
): Promise<string | null> {
  return poll<string | null>({
    withinMs,
    signal: context.signal,
    ask,
    isDone: (why) => why === null,
    onWait: (why) => context.report({ type: 'waiting', what, why: why ?? '' }),
  });
}

/** For one download, beside the time that its bytes take. */
const downloadMs = 60_000;

async function compareAll(destination: Destination, { delivered, config }: Offer): Promise<string | null> {
  for (const { address, artifact, record } of delivered) {
    const { oneWay, usesGit } = protocolDefinitions[config.speaks];
    // What a repository has is compared entry by entry, once it is cloned.
    if (usesGit || oneWay.includes(record.form)) continue;
    const found = await compareBytes({ destination, address, artifactRecord: record, limitMs: downloadMs });
    if (found !== null) return `${artifact}: ${found.why}`;
  }
  return null;
}

async function listedAll(destination: Destination, { delivered, release }: Offer): Promise<string | null> {
  for (const { artifact, sha256 } of delivered) {
    const found = await destination.isListed({ ...subjectOf(release), fileName: artifact, sha256 });
    if (found !== true) return `${artifact}: ${found}`;
  }
  return null;
}

function notConfirmed(open: readonly (TrialStep & { readonly what: string })[]): BevelstoneError {
  const lines = open.map(({ what, destination, state, why }) => `${what} at ${destination} is ${state}: ${why}`);
  return new BevelstoneError('NOT_CONFIRMED', {
    message:
      open.length === 1
        ? 'one release cannot be installed by everyone'
        : `${open.length} releases cannot be installed by everyone`,
    why: lines.join('\n'),
    // A client that tried found everything listed: no waiting helps.
    fix: open.every(({ version }) => version !== '')
      ? 'Correct what the client could not do; name where packages from outside come from with `confirm.upstream`'
      : 'Wait, then confirm again with a longer --within; if it still fails, check the destination',
  });
}
