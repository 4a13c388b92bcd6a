import { createHash, randomBytes } from 'node:crypto';
import { destinationsOf } from '../../core/config/config.ts';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import {
  chooseRun,
  isHalfLaidOut,
  isPublic,
  isUnreadable,
  type KnownRun,
  refuseOpen,
  unreadableRun,
} from '../../core/plan/choose-run.ts';
import { inDependencyOrder } from '../../core/plan/delivery-plan.ts';
import { format } from '../../core/record/parse-record.ts';
import { cardDigest, type ReleaseCard } from '../../core/record/release-card.ts';
import type { AgreedData, Opened, RunAsked } from '../../core/record/run-data.ts';
import { lastRecord } from '../../core/record/run-record.ts';
import { faultPoint } from '../../world/fault-point.ts';
import { removeFolder } from '../../world/files.ts';
import { uniteWithRemote } from '../../world/git/ledger-store.ts';
import { sweepRefLocks } from '../../world/git/ref-locks.ts';
import { keepForRun } from '../../world/git/release-commit.ts';
import { readRemoteRefs } from '../../world/git/remote-refs.ts';
import { currentBranch, type Repository, remoteOf, resolveCommit } from '../../world/git/repository.ts';
import { closeConnections } from '../../world/http.ts';
import { markClosed } from '../../world/journal.ts';
import { sweepLeftovers } from '../../world/leftovers.ts';
import { programVersions } from '../../world/program.ts';
import { takeLock } from '../../world/run-lock.ts';
import { systemFault } from '../../world/system-fault.ts';
import { refusal, type Verification, verifyReleases } from '../artifact/verify.ts';
import { buildSurveyed, plainBuild } from '../build/build.ts';
import type { BuiltRelease } from '../build/build-package.ts';
import type { Context } from '../context.ts';
import type { Shipment } from '../deliver/deliver.ts';
import { checkNarrow } from '../deliver/narrow-credential.ts';
import { planShipments, refuseDifferent } from '../deliver/publish-plan.ts';
import type { PublishedRelease } from '../deliver/published.ts';
import { type ReleaseFolder, readFolders, unreleasedFolder } from '../release-folder/built-release.ts';
import { parcelOf } from '../release-folder/parcel.ts';
import { dropRun, dropRunButArtifacts, outOf } from '../run/drop-run.ts';
import type { ReleaseOptions } from '../run/options.ts';
import { removeOwnTags } from '../run/own-tags.ts';
import { beginRun, continueRun, lockFolder, newRunId, openRuns, type Run, refuseNewer } from '../run/run.ts';
import { writeReleaseSbomsFor } from '../sbom/sbom-write.ts';
import { withSurfaces } from '../surface/record-surfaces.ts';
import { plainSurvey, type Survey, type SurveyOptions, surveyWorkspace } from '../survey/survey.ts';
import { learntBy, type Rehearsal, rehearseReleases } from '../trial/rehearse.ts';
import { ensureTrust } from '../workspace/trust.ts';
import { openContext } from '../workspace/workspace.ts';
import { makeCard } from './card.ts';
import { finishRun, lostError, pendingDeliveries } from './finish.ts';
import { askGates, type Gate, refuseGates } from './gates.ts';
import { handOut, pendingPlatforms, takeGathered } from './hand-out.ts';
import { missingDeliveries } from './missing-deliveries.ts';
import type { AskMoved } from './moved-destinations.ts';
import { withNeeded } from './needed.ts';
import { type Releasing, releasingOf } from './releasing.ts';
import { repairRun } from './repair.ts';
import { surveyTagged } from './tagged.ts';
import { makeReleaseCommit } from './write-back.ts';

/** What is asked and shown on the way. */
export type ReleaseTalk = {
  /** Gates as they were answered. */
  readonly gates: (gates: readonly Gate[]) => Promise<void>;
  /** Shows the card; asks, unless it is only shown. Throws to stop. */
  readonly agree: (card: ReleaseCard, isAsked: boolean) => Promise<void>;
  /** Destinations that have changed since the release was begun. */
  readonly moved: AskMoved;
};

/** The answer of `release`. */
export type Released = {
  readonly run: string;
  readonly dryRun: boolean;
  readonly releases: readonly PublishedRelease[];
  readonly card: ReleaseCard | null;
  /** Where the card was written as a page. */
  readonly page: string | null;
  /** What the person may want to do now. */
  readonly advice: readonly string[];
  readonly error: BevelstoneError | null;
};

/**
 * The whole way, as one run that can be stopped anywhere and finished (docs/design/release-run.md).
 * @throws GATES_REFUSED, NOTHING_TO_RELEASE, RUN_OPEN, RUN_BUSY and whatever building, verifying or rehearsing may throw: until
 * the push nothing is public and nothing is left behind but the run itself.
 */
export async function release(context: Context, options: ReleaseOptions, talk: ReleaseTalk): Promise<Released> {
  if (options.dryRun && options.resume !== null) throw dryResume();
  const repository = await openContext(context);
  const unlock = await takeLock(lockFolder(repository));
  try {
    await sweepLeftovers(repository.commonFolder);
    await sweepRefLocks(repository.commonFolder);
    const runs: KnownRun[] = [];
    for (const known of await openRuns(repository, true)) {
      if (isHalfLaidOut(known)) await dropRun(repository, known);
      else runs.push(known);
    }
    if (options.resume === null) {
      refuseOpen(runs);
      return await newRelease(context, { repository, options, talk });
    }
    const known = chooseRun(runs, options.resume === '' ? null : options.resume);
    if (known !== null) refuseNewer(known);
    if (known !== null && !isUnreadable(known)) {
      const run = await continueRun(context, known);
      await repairRun(context, repository, run);
      return await goOn(context, repository, { run, options, talk, isPushed: isPublic(run.journal) });
    }
    // Nothing of it on this machine: what was pushed says what is left to do.
    const run = await fromRemote(context, { repository, options, unreadable: known });
    if (known !== null) await markClosed(known.folder);
    return await goOn(context, repository, { run, options, talk, isPushed: true });
  } finally {
    await unlock();
    await closeConnections();
  }
}

/** @param unreadable the run of this machine whose journal says nothing any more. @throws JOURNAL_DAMAGED, RUN_NOT_FOUND */
async function fromRemote(
  context: Context,
  {
    repository,
    options,
    unreadable,
  }: { readonly repository: Repository; readonly options: ReleaseOptions; readonly unreadable: KnownRun | null },
): Promise<Run> {
  const { runFromRemote } = await import('./from-remote.ts');
  if (unreadable === null) return runFromRemote(context, repository, options);
  try {
    return await runFromRemote(context, repository, { ...options, resume: unreadable.id });
  } catch (error) {
    if (!isBevelstoneError(error, 'RUN_NOT_FOUND')) throw error;
    throw unreadableRun(unreadable.id, unreadable.folder);
  }
}

/** One run with all that it works with. */
type Work = {
  readonly run: Run;
  readonly options: ReleaseOptions;
  readonly talk: ReleaseTalk;
  /** Whether the push was announced: from then on it is only finished. */
  readonly isPushed: boolean;
};

async function newRelease(
  context: Context,
  {
    repository,
    options,
    talk,
  }: { readonly repository: Repository; readonly options: ReleaseOptions; readonly talk: ReleaseTalk },
): Promise<Released> {
  const { place } = repository;
  const survey = await surveyFor(context, options.asked, null);
  const { branch } = survey;
  if (releasingOf(survey).length === 0) throw nothingToRelease(survey, await missingDeliveries(context, survey));
  const remote = await remoteOf(place, await currentBranch(place));
  const now = context.now();
  const opened: Opened = {
    schema: format,
    run: newRunId(now),
    source: survey.commit,
    branch: options.asked.tagged === null ? branch : null,
    remote,
    remoteHead: await askHead(repository, remote, branch),
    time: Math.floor(now.getTime() / 1000),
    mark: randomBytes(16).toString('hex'),
    asked: { ...options.asked, packages: context.packages },
    isFromRemote: false,
    configDigest: survey.workspace.configText === null ? null : sha256(survey.workspace.configText),
    program: programVersions(context.programVersion),
  };
  faultPoint('opened', '', 'before');
  await removeFolder(unreleasedFolder(repository));
  const run = await beginRun(context, repository, opened);
  faultPoint('opened', '', 'after-done');
  return goOn(context, repository, { run, options, talk, isPushed: false });
}

/** Goes on with a run from wherever it is. Before its push a failure ends it; after it the run waits to be finished. */
async function goOn(context: Context, repository: Repository, work: Work): Promise<Released> {
  const { run, options } = work;
  const inside: Context = { ...context, packages: run.opened.asked.packages };
  let isPushed = work.isPushed;
  try {
    if (!isPushed) {
      await removeOwnTags(repository, run);
      const prepared = await prepare(inside, repository, work);
      if (prepared.card === null)
        return { ...prepared, card: null, run: run.id, dryRun: false, page: null, error: null };
      if (options.dryRun) {
        const page = await writePlan(inside, { run, card: prepared.card, file: options.card });
        await dropRunButArtifacts(repository, run);
        return { ...prepared, run: '', dryRun: true, page, error: null };
      }
    }
    isPushed = true;
    const end = await finishRun(inside, {
      repository,
      run,
      options: { again: options.again, askMoved: work.isPushed ? work.talk.moved : null },
    });
    if (end.isStale) await dropRun(repository, run);
    const card = run.journal.done<AgreedData>('agreed')?.what ?? null;
    const page = end.isStale ? null : await writePage(inside, { releases: end.releases, card, file: options.card });
    return { ...end, dryRun: false, card, page };
  } catch (thrown) {
    const error = systemFault(thrown, `run: bevelstone release --resume ${run.id}`) ?? thrown;
    const isCut = context.signal.aborted || isBevelstoneError(error, 'CUT_SHORT', 'DISK_FULL', 'DISK_FAULT');
    // A run that was interrupted keeps what it built, and one that others build for waits for them; another one that was
    // refused would only be refused again.
    const isKept = isPushed || isCut || run.journal.isDone('committed', 'handed-out');
    if (isKept) throw withResume(error, run.id);
    await dropRunButArtifacts(repository, run);
    throw error;
  } finally {
    run.journal.close();
  }
}

async function writePlan(
  context: Context,
  { run, card, file }: { readonly run: Run; readonly card: ReleaseCard; readonly file: string | null },
): Promise<string | null> {
  if (file === null) return null;
  const { writePlannedCard } = await import('../ledger/release-page.ts');
  return writePlannedCard(context, { card, folder: outOf(run), file });
}

async function writePage(
  context: Context,
  {
    releases,
    card,
    file,
  }: {
    readonly releases: readonly PublishedRelease[];
    readonly card: ReleaseCard | null;
    readonly file: string | null;
  },
): Promise<string | null> {
  if (file === null) return null;
  const { shownReleases, writeLedgerCard } = await import('../ledger/release-page.ts');
  const names = releases.map((release) => `${release.package}@${release.version}`);
  return writeLedgerCard(context, { releases: await shownReleases(context, names), file, known: card });
}

/** What is ready; without a card where others go on with the commit. */
type Prepared = {
  readonly releases: readonly PublishedRelease[];
  readonly card: ReleaseCard | null;
  readonly advice: readonly string[];
};

/** Everything up to the question: gates, survey, commit, build, rules, SBOMs, rehearsal, card. Nothing of it is public. */
async function prepare(context: Context, repository: Repository, { run, options, talk }: Work): Promise<Prepared> {
  const { journal, opened } = run;
  const asked = opened.asked;
  // Whatever is checked out by now: the run goes on with its own branch.
  const survey = await surveyFor(context, { ...asked, branch: asked.branch ?? opened.branch }, opened.source);
  const releasing = releasingOf(survey);
  const makesTags = asked.tagged === null;
  const isHandedOut = options.handOut || journal.isDone('committed', 'handed-out');
  await ensureTrust(
    context,
    survey.workspace,
    releasing.flatMap(({ pkg }) => destinationsOf(pkg.config)),
  );
  context.report({ type: 'group', title: 'Gates' });
  const isDry = options.dryRun;
  const gates = await gate(context, { run, input: { survey, releasing, makesTags, isHandedOut, isDry }, talk });
  context.report({ type: 'group', title: 'Build' });
  noteSurvey(run, releasing);
  const commit = await makeCommit(context, { repository, run, survey, releasing });
  const at: Survey = { ...survey, commit };
  if (options.handOut)
    return { releases: [], card: null, advice: await handOut({ repository, run, commit, releasing }) };
  await takeGathered(context, run, at);
  const built = inDependencyOrder(await buildAll(context, run, at));
  if (isHandedOut) {
    const error = pendingPlatforms(built, asked.without);
    if (error !== null) throw error;
  }
  context.report({ type: 'group', title: 'Checks' });
  const verification = await verifyAll(context, { run, survey: at, releases: built });
  const releases = await withSurfaces(at.workspace, built, verification.surfaces);
  const rehearsed = inDependencyOrder(await writeAllSboms(context, { run, survey: at, releases, learnt: new Map() }));
  const rehearsal = await rehearseAll(context, { run, survey: at, releases: rehearsed });
  const learnt = learntBy(rehearsal);
  const withSboms =
    learnt.size === 0
      ? rehearsed
      : inDependencyOrder(await writeAllSboms(context, { run, survey: at, releases: rehearsed, learnt }));
  const shipments = await planShipments(context, {
    workspace: at.workspace,
    releases: withSboms,
    ifNone: 'none-is-fine',
  });
  await refuseTaken(repository, opened, shipments);
  await checkNarrow(context, { repository, workspace: at.workspace, shipments });
  const card = await makeCard({
    context,
    survey: at,
    opened,
    releases: withSboms,
    shipments,
    verification,
    rehearsal,
    makesTags,
    untested: gates.flatMap(({ untested = [] }) => untested),
  });
  await agree({ run, card, releaseOptions: options, talk });
  await closeConnections();
  journalBuilt(journal, withSboms);
  return { releases: pendingDeliveries(withSboms, shipments), card, advice: [] };
}

/**
 * Other bytes at a destination are those of a rival when the remote has the tags by now.
 * @throws TAG_ELSEWHERE, DELIVERY_DIFFERS
 */
async function refuseTaken(
  repository: Repository,
  { remote, asked }: Opened,
  shipments: readonly Shipment[],
): Promise<void> {
  try {
    refuseDifferent(shipments);
  } catch (error) {
    if (remote === null || asked.tagged !== null) throw error;
    const tags = [...new Set(shipments.map(({ release: { record } }) => record.tag))];
    const there = await readRemoteRefs(
      repository.place,
      remote,
      tags.map((tag) => `refs/tags/${tag}`),
    );
    if (there.size === 0) throw error;
    throw lostError(
      remote,
      tags.filter((tag) => there.has(`refs/tags/${tag}`)),
    );
  }
}

/** The survey that counts: with the configuration of the commit, and the packages that were asked for. */
async function surveyFor(context: Context, asked: RunAsked, at: string | null): Promise<Survey> {
  const options: SurveyOptions = {
    ...plainSurvey,
    at,
    exactly: asked.exactly,
    raise: asked.raise as SurveyOptions['raise'],
    because: asked.because,
    branch: asked.branch,
    stream: asked.stream,
  };
  if (asked.tagged !== null) return surveyTagged(context, asked.tagged, asked.stream);
  const { place } = await openContext(context);
  // A survey at an id knows no branch, and the stream is that of the branch.
  const branch = options.branch ?? (context.env['BEVELSTONE_BRANCH'] || (await currentBranch(place)));
  return withNeeded(context, {
    options: { ...options, branch },
    isAdded: asked.withNeeded,
    survey: (inside, own) => surveyWorkspace(inside, own, 'commit'),
  });
}

async function gate(
  context: Context,
  {
    run,
    input,
    talk,
  }: {
    readonly run: Run;
    readonly input: {
      readonly survey: Survey;
      readonly releasing: readonly Releasing[];
      readonly makesTags: boolean;
      readonly isHandedOut: boolean;
      readonly isDry: boolean;
    };
    readonly talk: ReleaseTalk;
  },
): Promise<readonly Gate[]> {
  faultPoint('gated', '', 'before');
  const gates = await askGates(context, {
    ...input,
    remote: run.opened.remote,
    run: run.id,
    without: run.opened.asked.without,
  });
  await talk.gates(gates);
  refuseGates(gates);
  if (run.opened.remote !== null) await uniteWithRemote(input.survey.workspace.repository, run.opened.remote);
  run.journal.append({ step: 'gated', phase: 'done', data: gates.map((gate) => gate.gate) });
  faultPoint('gated', '', 'after-done');
  return gates;
}

/** @throws RUN_STALE when the same question has another answer than before. */
function noteSurvey({ journal, id }: Run, releasing: readonly Releasing[]): void {
  const found = releasing.map(({ pkg, version, surveyed }) => ({
    package: pkg.name,
    version,
    last: surveyed.last?.version ?? null,
    why: surveyed.reasons,
  }));
  const before = journal.done<typeof found>('surveyed');
  if (before !== null && JSON.stringify(before) !== JSON.stringify(found)) {
    throw new BevelstoneError('RUN_STALE', {
      message: `the release ${id} no longer matches the repository`,
      why: 'commits, tags or the configuration changed since it started',
      fix: 'Start a new release; nothing of the earlier run was public, and it was deleted',
    });
  }
  if (before === null) journal.append({ step: 'surveyed', phase: 'done', data: found });
  faultPoint('surveyed', '', 'after-done');
}

/** The commit that is built. Its date was fixed when the run began, so making it again gives the same one. */
async function makeCommit(
  context: Context,
  {
    repository,
    run: { journal, opened, id },
    survey,
    releasing,
  }: {
    readonly repository: Repository;
    readonly run: Run;
    readonly survey: Survey;
    readonly releasing: readonly Releasing[];
  },
): Promise<string> {
  const before = journal.done<{ commit: string }>('committed');
  if (before !== null) {
    await resolveCommit(repository.place, before.commit);
    return before.commit;
  }
  faultPoint('committed', '', 'before');
  const writes = survey.workspace.config['write-back'].commit && opened.asked.tagged === null;
  const made = writes ? await makeReleaseCommit(context, { survey, releasing, opened }) : null;
  if (made !== null) await keepForRun(repository.place, id, made.commit);
  faultPoint('committed', '', 'after-effect');
  const commit = made?.commit ?? survey.commit;
  journal.append({ step: 'committed', phase: 'done', data: { commit, tree: made?.tree ?? null } });
  faultPoint('committed', '', 'after-done');
  return commit;
}

/** Builds the missing artifacts; complete ones from an earlier attempt are kept. */
async function buildAll(context: Context, run: Run, survey: Survey): Promise<ReleaseFolder[]> {
  const { journal, opened } = run;
  const output = outOf(run);
  faultPoint('built', '', 'before');
  const built = new Map<string, BuiltRelease>();
  for (const { folder, record } of await readFolders(output)) {
    if (record.commit !== survey.commit || !(await isWhole({ folder, record }))) continue;
    const { package: name, version, artifacts, pending } = record;
    built.set(name, { package: name, version, folder, artifacts, pending });
  }
  await buildSurveyed(context, { survey, options: plainBuild, target: { output, source: opened.source, built } });
  faultPoint('built', '', 'after-effect');
  const releases = await readFolders(output);
  for (const { record } of releases) {
    for (const { file, size, sha256: digest, contentDigest } of record.artifacts) {
      const before = journal.done<{ sha256: string }>('built', file);
      if (before?.sha256 === digest) continue;
      journal.append({
        step: 'built',
        key: file,
        phase: 'done',
        data: { path: `${record.package}-${record.version}/${file}`, size, sha256: digest, contentDigest },
      });
    }
  }
  faultPoint('built', '', 'after-done');
  return releases;
}

async function isWhole(release: ReleaseFolder): Promise<boolean> {
  try {
    for (const artifact of release.record.artifacts) await parcelOf(release, artifact);
    return true;
  } catch (error) {
    if (isBevelstoneError(error) || (error as NodeJS.ErrnoException).code === 'ENOENT') return false;
    throw error;
  }
}

async function verifyAll(
  context: Context,
  {
    run: { journal },
    survey: { workspace },
    releases,
  }: { readonly run: Run; readonly survey: Survey; readonly releases: readonly ReleaseFolder[] },
): Promise<Verification> {
  faultPoint('verified', '', 'before');
  context.report({ type: 'started', what: 'verify' });
  const verification = await verifyReleases(context, workspace, releases);
  const error = refusal(verification);
  if (error !== null) throw error;
  const { warned, artifacts } = verification;
  context.report({
    type: 'finished',
    what: 'verify',
    detail: `${artifacts.length} ${artifacts.length === 1 ? 'artifact' : 'artifacts'}, ${warned === 0 ? 'no' : warned} ${warned === 1 ? 'warning' : 'warnings'}`,
  });
  journal.append({ step: 'verified', phase: 'done', input: inputOf(releases), data: { warned } });
  faultPoint('verified', '', 'after-done');
  return verification;
}

async function writeAllSboms(
  context: Context,
  {
    run,
    survey,
    releases,
    learnt,
  }: {
    readonly run: Run;
    readonly survey: Survey;
    readonly releases: readonly ReleaseFolder[];
    /** What the rehearsal said of packages that no lockfile says more of. */
    readonly learnt: ReturnType<typeof learntBy>;
  },
): Promise<ReleaseFolder[]> {
  faultPoint('sbom', '', 'before');
  await writeReleaseSbomsFor(context, {
    workspace: survey.workspace,
    releases,
    wish: { commit: survey.commit, kinds: [], to: null, learnt },
  });
  faultPoint('sbom', '', 'after-effect');
  const withSboms = await readFolders(outOf(run));
  const sboms = withSboms.flatMap(({ record }) =>
    record.sboms.map(({ file, sha256: digest }) => ({ file, sha256: digest })),
  );
  run.journal.append({ step: 'sbom', phase: 'done', input: inputOf(releases), data: sboms });
  faultPoint('sbom', '', 'after-done');
  return withSboms;
}

/** Tries what can be tried here of all that has a destination, unless these very artifacts were tried before. */
async function rehearseAll(
  context: Context,
  {
    run: { journal },
    survey: { workspace },
    releases,
  }: { readonly run: Run; readonly survey: Survey; readonly releases: readonly ReleaseFolder[] },
): Promise<Rehearsal | null> {
  const tried = releases.filter(({ record }) => {
    const own = workspace.packages.find(({ name }) => name === record.package);
    return own !== undefined && destinationsOf(own.config).length > 0;
  });
  if (tried.length === 0) return null;
  const input = inputOf(releases);
  const before = lastRecord(journal.records, 'rehearsed', { phase: 'done' });
  if (before?.input === input) return before.data as Rehearsal;
  faultPoint('rehearsed', '', 'before');
  const rehearsal = await rehearseReleases(context, { workspace, built: releases, everyone: false });
  if (rehearsal.error !== null) throw rehearsal.error;
  faultPoint('rehearsed', '', 'after-effect');
  journal.append({ step: 'rehearsed', phase: 'done', input, data: rehearsal });
  faultPoint('rehearsed', '', 'after-done');
  return rehearsal;
}

/** One question, asked again only when something on the card changed. */
async function agree({
  run: { journal },
  card,
  releaseOptions: { dryRun },
  talk,
}: {
  readonly run: Run;
  readonly card: ReleaseCard;
  readonly releaseOptions: ReleaseOptions;
  readonly talk: ReleaseTalk;
}): Promise<void> {
  const digest = cardDigest(card);
  const before = journal.done<AgreedData>('agreed');
  const isAgreed = before?.card === digest;
  faultPoint('agreed', '', 'before');
  await talk.agree(card, !dryRun && !isAgreed);
  if (isAgreed || dryRun) return;
  const data: AgreedData = { card: digest, what: card };
  journal.append({ step: 'agreed', phase: 'done', data });
  faultPoint('agreed', '', 'after-done');
}

/** The releases in the order of their delivery, for the rest of the run. */
function journalBuilt(journal: Run['journal'], releases: readonly ReleaseFolder[]): void {
  const order = releases.map(({ record }) => record.package);
  const before = journal.done<string[]>('built');
  if (JSON.stringify(before) !== JSON.stringify(order)) journal.append({ step: 'built', phase: 'done', data: order });
}

function inputOf(releases: readonly ReleaseFolder[]): string {
  return sha256(releases.flatMap(({ record }) => record.artifacts.map((artifact) => artifact.sha256)).join('\n'));
}

async function askHead(repository: Repository, remote: string | null, branch: string | null): Promise<string | null> {
  if (remote === null || branch === null) return null;
  const ref = `refs/heads/${branch}`;
  // Whether the remote can be reached is a gate, reported with the others.
  const refs = await readRemoteRefs(repository.place, remote, [ref]).catch(() => new Map<string, string>());
  return refs.get(ref) ?? null;
}

function dryResume(): BevelstoneError {
  return new BevelstoneError('USAGE', {
    message: '--dry-run and --resume cannot be used together',
    why: 'the unfinished release may be partly public, and resuming it uploads the rest',
    fix: 'For its state run: bevelstone. To finish it: bevelstone release --resume',
  });
}

/**
 * @param missing commands that deliver released versions to destinations that were added since.
 */
function nothingToRelease({ packages }: Survey, missing: readonly string[]): BevelstoneError {
  return new BevelstoneError('NOTHING_TO_RELEASE', {
    message: 'nothing to release',
    why: packages.map(({ name, reasons }) => `${name}: ${reasons.join(', ') || 'no relevant changes'}`).join('\n'),
    fix:
      missing.length === 0
        ? 'Commit a feature or fix, or set a version with --raise or --exactly and --because'
        : `To deliver what is released to a destination that was added since, run: ${missing.join('\n')}`,
  });
}

/** An error that says which run can be finished. What was interrupted by hand is cut short, too. */
function withResume(error: unknown, id: string): unknown {
  const fix = `Run: bevelstone release --resume ${id}`;
  if (!isBevelstoneError(error)) {
    if ((error as Error).name !== 'AbortError') return error;
    return new BevelstoneError('CUT_SHORT', {
      message: 'stopped before the end',
      why: 'the program received a signal; everything done so far is in the journal',
      fix,
      resume: id,
      cause: error,
    });
  }
  const { code, message, why, where, problems, result } = error;
  const place = where === null ? {} : { where };
  return new BevelstoneError(code, {
    message,
    why,
    fix: `${error.fix}\n${fix}`,
    problems,
    result,
    resume: id,
    ...place,
  });
}

function sha256(text: string): string {
  return createHash('sha256').update(text).digest('hex');
}
