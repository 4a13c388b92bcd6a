import { randomBytes } from 'node:crypto';
import path from 'node:path';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { isSbom } from '../../core/form/definitions.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { noRun } from '../../core/plan/choose-run.ts';
import { inDependencyOrder } from '../../core/plan/delivery-plan.ts';
import { format } from '../../core/record/parse-record.ts';
import type { ArtifactRecord, ReleaseRecord } from '../../core/record/release-record.ts';
import type { Opened } from '../../core/record/run-data.ts';
import { fileDigest } from '../../world/archive/file-digest.ts';
import { faultPoint } from '../../world/fault-point.ts';
import { copyOneFile, exists, makeFolder, writeWhole } from '../../world/files.ts';
import { ledgerRef, uniteWithRemote } from '../../world/git/ledger-store.ts';
import { currentBranch, type Repository, remoteOf } from '../../world/git/repository.ts';
import { git } from '../../world/git/run-git.ts';
import { placeInside } from '../../world/place-inside.ts';
import { programVersions } from '../../world/program.ts';
import { buildSurveyed, plainBuild } from '../build/build.ts';
import { countedChanges } from '../build/build-records.ts';
import { type Context, quietly, warn } from '../context.ts';
import { localReleases } from '../ledger-record/ledger.ts';
import { isIncomplete } from '../ledger-record/unfinished.ts';
import { requireVouched, vouchedDeliveries } from '../ledger-record/vouched.ts';
import { fetchArtifact } from '../read/fetch-artifact.ts';
import { builtFolder, type ReleaseFolder, readFolders, readReleaseFolder } from '../release-folder/built-release.ts';
import { recordedFolder, standingDeliveries } from '../release-folder/recorded-release.ts';
import { dropRun } from '../run/drop-run.ts';
import type { ReleaseOptions } from '../run/options.ts';
import { beginRun, newRunId, type Run, runsFolder } from '../run/run.ts';
import { writeReleaseSbomsFor } from '../sbom/sbom-write.ts';
import { surveyOfRelease } from '../survey/released-survey.ts';
import { plainSurvey, type Survey, surveyWorkspace } from '../survey/survey.ts';
import { learntBy, rehearseReleases } from '../trial/rehearse.ts';
import { openDestination } from '../workspace/open-destination.ts';
import { ensureTrust } from '../workspace/trust.ts';
import { readWorkspace, type Workspace } from '../workspace/workspace.ts';
import { RunLedger } from './run-ledger.ts';

/**
 * Lays a run out again on a machine that has nothing of it but a clone: the plan that was pushed with the tags says what there is
 * to deliver. Bytes come from a destination that has them, else from the output folder, else they are built again.
 * @throws RUN_NOT_FOUND when the ledger knows of nothing unfinished; BUILD_DIFFERS when building again gives other bytes.
 */
export async function runFromRemote(context: Context, repository: Repository, options: ReleaseOptions): Promise<Run> {
  const { place } = repository;
  const remote = await remoteOf(place, await currentBranch(place));
  if (remote === null) throw noRun();
  await uniteWithRemote(repository, remote);
  const found = await findUnfinished(context, { repository, remote, named: options.resume ?? '' });
  const [first] = found;
  if (first === undefined) throw noRun();
  const workspace = await readWorkspace(context, { repository, commit: first.commit, source: 'commit' });
  await ensureTrust(
    context,
    workspace,
    found.flatMap(({ destinations }) => destinations),
  );
  const opened = openedFrom(context, first, remote);
  const isTaken = await exists(path.join(runsFolder(repository), opened.run));
  const run = await beginRun(context, repository, isTaken ? { ...opened, run: newRunId(context.now()) } : opened);
  try {
    const ledger = new RunLedger(run.journal, run.id);
    run.journal.append({ step: 'committed', phase: 'done', data: { commit: first.commit, tree: null } });
    faultPoint('built', '', 'before');
    const releases = await layOutAll(context, { workspace, run, found, ledger, options });
    const order = inDependencyOrder(releases).map(({ record }) => record.package);
    run.journal.append({ step: 'built', phase: 'done', data: order });
    run.journal.append({ step: 'push', phase: 'done', data: { by: first.run } });
    return run;
  } catch (error) {
    run.journal.close();
    await dropRun(repository, run);
    throw error;
  }
}

/**
 * Releases of one run that is not finished: of the run named, else of the newest one. Only what a tag vouches for counts; the
 * rest could be forged.
 * @throws PLAN_UNVERIFIED when the run is on record, and no tag vouches for it.
 */
async function findUnfinished(
  context: Context,
  { repository, remote, named }: { readonly repository: Repository; readonly remote: string; readonly named: string },
): Promise<LedgerRelease[]> {
  const known = await releasesWithTags(context, { repository, remote, named });
  const open = known.filter(({ isAbandoned }) => !isAbandoned);
  const vouched = open.filter(({ isVouched }) => isVouched);
  for (const run of new Set(vouched.map((release) => release.run))) {
    if (named !== '' && run !== named) continue;
    const own = vouched.filter((release) => release.run === run);
    const [first] = own;
    if (first === undefined) continue;
    const workspace = await readWorkspace(context, { repository, commit: first.commit, source: 'commit' });
    // Of the run that was named the destinations are asked themselves: a forged delivery must not hide what is missing.
    if (named !== '' || own.some((release) => isIncomplete(context, release, workspace.config))) return own;
  }
  const unverified = open.find((release) => !release.isVouched && (named === '' || release.run === named));
  if (unverified !== undefined)
    requireVouched(
      unverified,
      `If the tag was made by hand, run: bevelstone release --tagged ${unverified.tag}. Otherwise continue on the machine where the release was started`,
    );
  return [];
}

/** Fetches candidate tags that this clone does not have yet from the remote, with their commits. */
async function releasesWithTags(
  context: Context,
  { repository, remote, named }: { readonly repository: Repository; readonly remote: string; readonly named: string },
): Promise<LedgerRelease[]> {
  const before = await localReleases(quietly(context), repository);
  const asked = before
    .filter(({ isVouched, run }) => !isVouched && (named === '' || run === named))
    .slice(0, maxFetchedTags);
  const refs = asked.map(({ tag }) => `refs/tags/${tag}:refs/tags/${tag}`);
  // One that the remote does not have must not keep the others away.
  const fetch = (specs: readonly string[]) =>
    git(repository.place, ['fetch', '--quiet', '--no-tags', '--no-write-fetch-head', remote, ...specs], {
      allow: [1, 128],
    });
  if (refs.length > 0 && (await fetch(refs)).exitCode !== 0) for (const ref of refs) await fetch([ref]);
  return localReleases(context, repository);
}

/** An unfinished release is a recent one. */
const maxFetchedTags = 50;

/** The record that this machine would have, had it begun the run; the branch is the business of the machine that did. */
function openedFrom(context: Context, { run, source, about }: LedgerRelease, remote: string): Opened {
  return {
    schema: format,
    run,
    source,
    branch: null,
    remote,
    remoteHead: null,
    time: about.sourceTime,
    mark: randomBytes(16).toString('hex'),
    asked: {
      packages: [],
      exactly: null,
      raise: null,
      because: null,
      branch: null,
      stream: about.stream.name,
      tagged: null,
      withNeeded: false,
      without: [],
    },
    isFromRemote: true,
    configDigest: null,
    program: programVersions(context.programVersion),
  };
}

type Layout = {
  readonly workspace: Workspace;
  readonly run: Run;
  readonly found: readonly LedgerRelease[];
  readonly ledger: RunLedger;
  readonly options: ReleaseOptions;
};

/** The changes of a release, where commands of `afterwards` want them; none where its history cannot be surveyed any more. */
async function changesFor(
  context: Context,
  { workspace }: Layout,
  release: LedgerRelease,
): Promise<Pick<ReleaseRecord, 'changes'>> {
  if (workspace.config.afterwards.length === 0) return {};
  try {
    const { packages } = await surveyOfRelease(context, release, null);
    const surveyed = packages.find(({ name }) => name === release.package);
    return surveyed === undefined ? {} : { changes: countedChanges(surveyed) };
  } catch (error) {
    if (!isBevelstoneError(error)) throw error;
    warn(context, `release.json of ${release.package} ${release.version} has no changes: ${error.message}`);
    return {};
  }
}

async function layOutAll(context: Context, layout: Layout): Promise<ReleaseFolder[]> {
  const { run, found } = layout;
  const missing = new Map<LedgerRelease, ArtifactRecord[]>();
  for (const onRecord of found) {
    const release = { ...onRecord, artifacts: onRecord.planned };
    const folder = builtFolder(path.join(run.folder, 'out'), release);
    await makeFolder(folder);
    const lacking = await collect(context, { layout, release, folder });
    if (lacking.length > 0) missing.set(release, lacking);
    const { record: recorded } = recordedFolder(release, release.artifacts, folder);
    const record = { ...recorded, ...(await changesFor(context, layout, release)) };
    await writeWhole(path.join(folder, 'release.json'), `${JSON.stringify(record, null, 2)}\n`);
    const inLedger = `${ledgerRef}:${release.package}/${release.version}/contents-${release.contents}.json`;
    const contents = await git(layout.workspace.repository.place, ['show', inLedger], { allow: [128] });
    if (contents.exitCode === 0) await writeWhole(path.join(folder, 'CONTENTS.json'), contents.text);
  }
  if (missing.size > 0) await rebuild(context, layout, missing);
  return readFolders(path.join(run.folder, 'out'));
}

/** Gets what can be had without building. @returns the artifacts that could not. */
async function collect(
  context: Context,
  {
    layout: { workspace },
    release,
    folder,
  }: { readonly layout: Layout; readonly release: LedgerRelease; readonly folder: string },
): Promise<ArtifactRecord[]> {
  const lacking: ArtifactRecord[] = [];
  for (const artifact of release.artifacts) {
    if (
      !(await fetchFromAny(context, { workspace, release, artifact, folder })) &&
      !(await copyBuilt({ workspace, release, artifactRecord: artifact, folder }))
    )
      lacking.push(artifact);
  }
  return lacking;
}

async function fetchFromAny(
  context: Context,
  {
    workspace: { config, repository },
    release,
    artifact,
    folder,
  }: {
    readonly workspace: Workspace;
    readonly release: LedgerRelease;
    readonly artifact: ArtifactRecord;
    readonly folder: string;
  },
): Promise<boolean> {
  for (const name of standingDeliveries(release).keys()) {
    const destination = config.destinations[name];
    if (destination === undefined) continue;
    const standing = vouchedDeliveries(context, { release, name, config: destination });
    if (!standing.some((delivery) => delivery.artifact === artifact.file)) continue;
    try {
      const opened = await openDestination(context, { name, config: destination, repository });
      await fetchArtifact(context, { from: opened, artifact, standing, folder });
      return true;
    } catch (error) {
      if (!isBevelstoneError(error)) throw error;
      warn(context, `${artifact.file} could not be downloaded from ${name}: ${error.why}`);
    }
  }
  return false;
}

async function copyBuilt({
  workspace: { config, repository },
  release,
  artifactRecord: { file, size, sha256 },
  folder,
}: {
  readonly workspace: Workspace;
  readonly release: LedgerRelease;
  readonly artifactRecord: ArtifactRecord;
  readonly folder: string;
}): Promise<boolean> {
  const output = await placeInside(repository.root, config.output, '`output`');
  const built = path.join(builtFolder(output, release), file);
  if (!(await exists(built)) || (await fileDigest(built, size)) !== sha256) return false;
  await copyOneFile(built, path.join(folder, file));
  return true;
}

/** Rebuilds artifacts that are no longer available, at the planned commit, and accepts those with the planned digest. */
async function rebuild(
  context: Context,
  { workspace, run, found, ledger, options }: Layout,
  missing: ReadonlyMap<LedgerRelease, readonly ArtifactRecord[]>,
): Promise<void> {
  const [first] = found;
  if (first === undefined) return;
  const stream = first.about.stream.name;
  const branch = await currentBranch(workspace.repository.place);
  const asked = { ...plainSurvey, at: first.source, branch, stream, asReleased: true };
  const survey = await surveyWorkspace({ ...context, packages: [] }, asked, 'commit');
  const versions = new Map(found.map((release) => [release.package, release.version]));
  const packages = survey.packages.map((pkg) => ({ ...pkg, next: versions.get(pkg.name) ?? null }));
  const output = path.join(run.folder, 'again');
  const at = { ...survey, packages, commit: first.commit };
  await buildSurveyed(context, { survey: at, options: plainBuild, target: { output, source: first.source } });
  await rebuildSboms(context, { survey: at, output, missing });
  const built = await readFolders(output);
  for (const [release, artifacts] of missing) {
    const own = built.find(({ record }) => record.package === release.package);
    for (const planned of artifacts) {
      const made = [...(own?.record.artifacts ?? []), ...(own?.record.sboms ?? [])].find(
        ({ file }) => file === planned.file,
      );
      if (own === undefined || made === undefined) throw lost(release, planned);
      const isSame = made.sha256 === planned.sha256;
      if (!isSame && !options.acceptRebuild) throw differs(release, planned, made);
      if (!isSame)
        ledger.add({ type: 'replanned', package: release.package, version: release.version, artifact: made });
      const folder = builtFolder(path.join(run.folder, 'out'), release);
      await copyOneFile(path.join(own.folder, made.file), path.join(folder, made.file));
      if (!isSame) await replaceInRecord(folder, made);
    }
  }
}

/** Writes SBOMs again; what no lockfile says came from a rehearsal then, so that there is one now where the bytes differ. */
async function rebuildSboms(
  context: Context,
  {
    survey,
    output,
    missing,
  }: {
    readonly survey: Survey;
    readonly output: string;
    readonly missing: ReadonlyMap<LedgerRelease, readonly ArtifactRecord[]>;
  },
): Promise<void> {
  const { workspace, commit } = survey;
  const wish = { commit, kinds: [], to: null };
  await writeReleaseSbomsFor(context, { workspace, releases: await readFolders(output), wish });
  const built = await readFolders(output);
  const made = new Set(built.flatMap(({ record }) => record.sboms.map(({ sha256 }) => sha256)));
  if ([...missing.values()].flat().every((planned) => !isSbom(planned) || made.has(planned.sha256))) return;
  const learnt = learntBy(await rehearseReleases(context, { workspace, built, everyone: false }));
  await writeReleaseSbomsFor(context, { workspace, releases: built, wish: { ...wish, learnt } });
}

async function replaceInRecord(folder: string, made: ArtifactRecord): Promise<void> {
  const found = await readReleaseFolder(folder);
  if (found === null) return;
  const swap = (list: readonly ArtifactRecord[]) =>
    list.map((artifact) => (artifact.file === made.file ? made : artifact));
  const record = { ...found.record, artifacts: swap(found.record.artifacts), sboms: swap(found.record.sboms) };
  await writeWhole(path.join(folder, 'release.json'), `${JSON.stringify(record, null, 2)}\n`);
}

function lost({ package: name, version }: LedgerRelease, { file, platform }: ArtifactRecord): BevelstoneError {
  return new BevelstoneError('RELEASE_NOT_BUILT', {
    message: `${file} of ${name} ${version} is not available here`,
    why: platform === null ? 'no destination has it, and the build does not produce it' : `it is for ${platform}`,
    fix: 'Continue on the machine where the release was started, or copy its output folder here',
  });
}

function differs(
  { package: name, version }: LedgerRelease,
  planned: ArtifactRecord,
  made: ArtifactRecord,
): BevelstoneError {
  const isAlike = planned.contentDigest === made.contentDigest;
  return new BevelstoneError('BUILD_DIFFERS', {
    message: `${planned.file} of ${name} ${version} was built with different bytes than planned`,
    why: `its SHA-256 is ${made.sha256.slice(0, 12)}…, expected ${planned.sha256.slice(0, 12)}…${isAlike ? '; the contents are identical, so the versions of Node or zlib differ' : ''}`,
    fix: 'Use the same versions of Bevelstone and Node as at the start of the release, or accept the new bytes: --accept-rebuild',
  });
}
