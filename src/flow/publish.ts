import { randomBytes } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import path from 'node:path';
import { BevelstoneError, isBevelstoneError } from '../core/error/bevelstone-error.ts';
import { orderByDependency } from '../core/history/dependency.ts';
import { foldEvents, type LedgerRelease } from '../core/ledger/event.ts';
import type { ArtifactRecord, ReleaseRecord } from '../core/ledger/release-record.ts';
import type { Destination, Parcel, Presence } from '../destination/destination.ts';
import { currentLedger, pushLedger, readEvents, restoreLedger, uniteWithRemote } from '../world/git/ledger-store.ts';
import { makeTag, readLocalTag, readRemoteTags } from '../world/git/remote-tags.ts';
import { checkIdentity, currentBranch, type Repository, remoteOf, resolveCommit } from '../world/git/repository.ts';
import { git } from '../world/git/run-git.ts';
import { closeConnections } from '../world/http.ts';
import { builtReleases, type ReleaseFolder } from './built-release.ts';
import { type Context, warn } from './context.ts';
import { openDestination, takesForm, takesStream } from './destinations.ts';
import { contentsFile, LedgerWriter } from './ledger-writer.ts';
import { readArtifact } from './read-artifact.ts';
import { refusal, verifyReleases } from './verify.ts';
import { openContext, readWorkspace, type Workspace } from './workspace.ts';

/** How `publish` goes about it. */
export type PublishOptions = { readonly tag: boolean; readonly dryRun: boolean };

/** One artifact at one destination. */
export type Delivery = {
  readonly destination: string;
  readonly artifact: string;
  readonly state: 'delivered' | 'already-there' | 'failed' | 'pending';
  readonly confirmed: 'bytes' | 'entries' | 'no';
  readonly why: string | null;
  readonly address: string | null;
  readonly sha256: string;
};

/** One release with its deliveries. */
export type PublishedRelease = {
  readonly package: string;
  readonly version: string;
  readonly tag: string;
  readonly commit: string;
  readonly source: string;
  readonly deliveries: readonly Delivery[];
};

/** The answer of `publish`. */
export type Publication = {
  readonly run: string;
  readonly dryRun: boolean;
  readonly releases: readonly PublishedRelease[];
  /** Set when some delivery failed. */
  readonly error: BevelstoneError | null;
};

/** What is about to happen, for the question. */
export type PublishPlan = {
  readonly deliveries: readonly PlannedDelivery[];
  readonly tagsToPush: readonly string[];
  readonly remote: string | null;
};

/** One delivery before it is made. */
export type PlannedDelivery = {
  readonly release: ReleaseFolder;
  readonly artifact: ArtifactRecord;
  readonly destination: Destination;
  readonly presence: Presence;
};

/**
 * Delivers what was built for this commit: rules first, then the destinations are asked, then the person, then tag and
 * plan are pushed, and only then anything is uploaded.
 * @param confirm asks the person; throws to stop.
 * @throws RULES_REFUSED, TAG_NOT_PUSHED, DELIVERY_DIFFERS, NOTHING_TO_RELEASE and whatever a destination says before the first upload.
 */
export async function publish(
  context: Context,
  options: PublishOptions,
  confirm: (plan: PublishPlan) => Promise<void>,
): Promise<Publication> {
  const repository = await openContext(context);
  const commit = await resolveCommit(repository.place, 'HEAD');
  const workspace = await readWorkspace(context, repository, commit, 'commit');
  const releases = inDependencyOrder(await builtReleases(context, workspace, commit));
  await refuseByRules(context, workspace, releases);
  try {
    const deliveries = await planDeliveries(context, workspace, releases);
    refuseDifferent(deliveries);
    const tags = await planTags(context, repository, deliveries, options);
    const plan: PublishPlan = { deliveries, tagsToPush: tags.missing, remote: tags.remote };
    if (options.dryRun) return { run: '', dryRun: true, releases: pendingReleases(releases, deliveries), error: null };
    const isNews = tags.missing.length > 0 || deliveries.some(({ presence }) => presence.type === 'absent');
    if (isNews) await confirm(plan);
    return await deliverAll(context, repository, { releases, deliveries, tags });
  } finally {
    await closeConnections();
  }
}

type TagPlan = {
  readonly remote: string | null;
  /** Tags that the remote lacks and that this run makes and pushes. */
  readonly missing: readonly string[];
};

function inDependencyOrder(releases: readonly ReleaseFolder[]): ReleaseFolder[] {
  const names = releases.map(({ record }) => record.package);
  const edges = releases.flatMap(({ record }, from) =>
    record.needs.flatMap((name) => {
      const to = names.indexOf(name);
      return to === -1 ? [] : [{ from, to, kind: 'run' as const, range: '', isReExported: false, takes: () => true }];
    }),
  );
  return orderByDependency(names, edges).flatMap((index) => releases[index] ?? []);
}

async function refuseByRules(
  context: Context,
  workspace: Workspace,
  releases: readonly ReleaseFolder[],
): Promise<void> {
  context.report({ type: 'started', what: 'verify' });
  const verification = await verifyReleases(context, workspace, releases);
  const error = refusal(verification);
  if (error !== null) throw error;
  const count = verification.artifacts.length;
  context.report({ type: 'finished', what: 'verify', detail: `${count} ${count === 1 ? 'artifact' : 'artifacts'}` });
}

/** Opens every destination that is needed and asks it about every artifact. */
async function planDeliveries(
  context: Context,
  workspace: Workspace,
  releases: readonly ReleaseFolder[],
): Promise<PlannedDelivery[]> {
  const opened = new Map<string, Destination>();
  const planned: PlannedDelivery[] = [];
  for (const release of releases) {
    const { record } = release;
    const names = workspace.packages.find(({ name }) => name === record.package)?.config['send-to'] ?? [];
    for (const name of names) {
      const config = workspace.config.destinations[name];
      if (config === undefined) throw new Error(`unchecked destination ${name}`);
      if (!takesStream(config, record.stream)) {
        context.report({
          type: 'skipped',
          what: `${record.package} ${record.version} to ${name}`,
          why: `it does not take the stream ${record.stream.name}`,
        });
        continue;
      }
      const artifacts = record.artifacts.filter(({ form }) => takesForm(config, form));
      if (artifacts.length === 0) throw notTaken(record, name);
      const destination = opened.get(name) ?? (await openDestination(context, name, config, workspace.repository.root));
      opened.set(name, destination);
      for (const artifact of artifacts) {
        const presence = await destination.find(await parcelOf(release, artifact));
        planned.push({ release, artifact, destination, presence });
      }
    }
  }
  if (planned.length > 0) return planned;
  throw new BevelstoneError('NOTHING_TO_RELEASE', {
    message: 'Nothing that is built goes anywhere',
    why: 'no package that was built has a destination for its stream in `send-to`',
    fix: 'Add destinations to the package in bevelstone.yaml and commit it',
  });
}

function refuseDifferent(deliveries: readonly PlannedDelivery[]): void {
  const different = deliveries.flatMap(({ presence, ...one }) =>
    presence.type === 'different' ? [{ ...one, why: presence.why }] : [],
  );
  const [first] = different;
  if (first === undefined) return;
  const { package: name, version } = first.release.record;
  throw new BevelstoneError('DELIVERY_DIFFERS', {
    message: `${first.destination.name} holds ${name} ${version} already, with other bytes`,
    why: first.why,
    fix: 'A published version never changes: release a higher one. If the bytes should be equal, build the tagged commit with the same versions of Bevelstone and Node',
    problems:
      different.length < 2
        ? []
        : different.map(({ release, destination, artifact, why }) => ({
            code: 'DELIVERY_DIFFERS' as const,
            message: `${artifact.file} at ${destination.name}: ${why}`,
            fix: `Release ${release.record.package} with a higher version`,
            where: null,
          })),
  });
}

/** Whatever leaves this machine needs its annotated tag on the remote (design page release-run, "publish alone"). */
async function planTags(
  context: Context,
  repository: Repository,
  deliveries: readonly PlannedDelivery[],
  options: PublishOptions,
): Promise<TagPlan> {
  const { place } = repository;
  const remote = await remoteOf(place, await currentBranch(place));
  const records = [
    ...new Map(
      deliveries
        .filter(({ destination, release }) => destination.speaks !== 'folder' && release.record.stream.type !== 'look')
        .map(({ release: { record } }) => [record.tag, record] as const),
    ).values(),
  ];
  if (records.length === 0) return { remote, missing: [] };
  if (remote === null) throw noRemote();
  const there = await readRemoteTags(
    place,
    remote,
    records.map(({ tag }) => tag),
  );
  const missing: string[] = [];
  for (const { tag, commit } of records) {
    const found = there.get(tag);
    if (found !== undefined && found.commit !== commit) throw tagElsewhere(tag, `on ${remote}`, found.commit, commit);
    if (found !== undefined && !found.isAnnotated) throw notAnnotated(tag, remote);
    if (found !== undefined) continue;
    const local = await readLocalTag(place, tag);
    if (local !== null && local.commit !== commit) throw tagElsewhere(tag, 'here', local.commit, commit);
    missing.push(tag);
  }
  if (missing.length > 0 && !options.tag && !options.dryRun) throw notPushed(missing, remote);
  if (missing.length > 0 && !options.dryRun) await checkIdentity(place);
  if (missing.length > 0 && options.dryRun && !options.tag)
    warn(context, `${missing.join(', ')} would have to be on ${remote} first; --tag makes and pushes it`);
  return { remote, missing };
}

type Work = {
  readonly releases: readonly ReleaseFolder[];
  readonly deliveries: readonly PlannedDelivery[];
  readonly tags: TagPlan;
};

async function deliverAll(
  context: Context,
  repository: Repository,
  { releases, deliveries, tags }: Work,
): Promise<Publication> {
  const run = `${context.now().toISOString().slice(0, 19).replace(/[-:]/g, '').replace('T', '-')}-${randomBytes(4).toString('hex')}`;
  const writer = new LedgerWriter(context, repository, run);
  const canRecord = await hasIdentity(repository);
  if (tags.remote !== null) await uniteWithRemote(repository, tags.remote);
  const known = foldEvents(await readEvents(repository));
  for (const release of releases) await addPlan(release, deliveries, known, writer);
  if (tags.missing.length > 0) await pushPlan(context, repository, { releases, deliveries, tags }, writer);
  const done: { planned: PlannedDelivery; delivery: Delivery }[] = [];
  const failedAt = new Set<string>();
  for (const planned of deliveries) {
    const delivery = failedAt.has(planned.destination.name)
      ? pending(planned, 'an earlier delivery there failed')
      : await deliverOne(context, planned, isRecorded(planned, known) ? null : writer);
    if (delivery.state === 'failed') failedAt.add(planned.destination.name);
    done.push({ planned, delivery });
  }
  if (canRecord) await record(context, repository, tags.remote, writer, releases);
  else warn(context, 'git does not know who commits, so the ledger was not written');
  const published = releases.map(({ record: { package: name, version, tag, commit, source } }) => ({
    package: name,
    version,
    tag,
    commit,
    source,
    deliveries: done.filter(({ planned }) => planned.release.record.package === name).map(({ delivery }) => delivery),
  }));
  const failed = done.map(({ delivery }) => delivery).filter(({ state }) => state === 'failed');
  return { run, dryRun: false, releases: published, error: failed.length === 0 ? null : deliveryFailed(failed) };
}

/** The plan of a release goes into the ledger once, before anything is uploaded. */
async function addPlan(
  { folder, record: one }: ReleaseFolder,
  deliveries: readonly PlannedDelivery[],
  known: readonly LedgerRelease[],
  writer: LedgerWriter,
): Promise<void> {
  const { package: name, version, commit, source, tag, artifacts } = one;
  if (known.some((release) => release.package === name && release.version === version)) return;
  const text = await readFile(path.join(folder, 'CONTENTS.json'), 'utf8');
  const contents = contentsFile(text);
  const destinations = [
    ...new Set(deliveries.filter(({ release }) => release.record === one).map(({ destination }) => destination.name)),
  ];
  writer.add(
    {
      type: 'planned',
      package: name,
      version,
      commit,
      source,
      tag,
      artifacts,
      destinations,
      contents: contents.sha256,
    },
    { [contents.name]: text },
  );
}

/** Whether the ledger already holds this very delivery, confirmed. */
function isRecorded({ release, artifact, destination }: PlannedDelivery, known: readonly LedgerRelease[]): boolean {
  const { package: name, version } = release.record;
  const deliveries = known.find((one) => one.package === name && one.version === version)?.deliveries ?? [];
  return deliveries.some(
    (one) => one.destination === destination.name && one.artifact === artifact.file && one.confirmed === 'bytes',
  );
}

/** Tags and plan go out as one push before any file does; from then on any clone can finish. */
async function pushPlan(
  context: Context,
  repository: Repository,
  { releases, tags }: Work,
  writer: LedgerWriter,
): Promise<void> {
  const { remote, missing } = tags;
  if (remote === null) return;
  context.report({ type: 'started', what: `push ${missing.join(', ')}` });
  const mark = randomBytes(16).toString('hex');
  const made: string[] = [];
  const before = await currentLedger(repository.place);
  for (const { record: one } of releases.filter(({ record: { tag } }) => missing.includes(tag))) {
    if ((await readLocalTag(repository.place, one.tag))?.isAnnotated !== true) {
      const message = `${one.package} ${one.version}\n\n${one.reasons.join('\n')}\n\nBevelstone-Run: ${mark}\n`;
      await makeTag(repository.place, one.tag, one.commit, message);
      made.push(one.tag);
    }
  }
  await writer.flush(`Plan ${missing.join(', ')}`);
  try {
    const end = await pushLedger(repository, remote, missing);
    if (end === 'done') {
      context.report({ type: 'finished', what: `push ${missing.join(', ')}`, detail: `to ${remote}` });
      return;
    }
    throw new BevelstoneError('TAG_ELSEWHERE', {
      message: `${remote} has ${missing.join(' or ')} already`,
      why: 'somebody else released at the same moment; their tag came first',
      fix: 'Fetch, and survey again; nothing was uploaded from here',
    });
  } catch (error) {
    for (const tag of made) await git(repository.place, ['tag', '--delete', tag]);
    await restoreLedger(repository.place, before);
    throw error;
  }
}

async function deliverOne(context: Context, planned: PlannedDelivery, writer: LedgerWriter | null): Promise<Delivery> {
  const { release, artifact, destination, presence } = planned;
  const { package: name, version } = release.record;
  const what = `${artifact.file} to ${destination.name}`;
  const common = { package: name, version, destination: destination.name, artifact: artifact.file };
  context.report({ type: 'started', what });
  try {
    const parcel = await parcelOf(release, artifact);
    const isThere = presence.type === 'same';
    const address = isThere ? presence.address : await destination.deliver(parcel);
    writer?.add({ type: 'delivered', ...common, sha256: artifact.sha256, address, alreadyThere: isThere });
    const { confirmed, why } = await destination.confirm(parcel, address);
    writer?.add({ type: 'confirmed', ...common, confirmed, why });
    if (confirmed === 'no') warn(context, `${what} is delivered but not confirmed: ${why}`);
    const pointed = await destination.point(parcel);
    if (pointed !== null && (pointed.moved || !isThere)) {
      writer?.add({
        type: 'pointed',
        package: name,
        version,
        destination: destination.name,
        pointer: pointed.pointer,
        from: pointed.moved ? pointed.from : null,
      });
    }
    const pointer = pointed === null ? '' : `, ${pointed.pointer}`;
    context.report({ type: 'finished', what, detail: `${isThere ? 'already there' : 'delivered'}${pointer}` });
    return { ...blank(planned), state: isThere ? 'already-there' : 'delivered', confirmed, why, address };
  } catch (error) {
    if (!isBevelstoneError(error)) throw error;
    context.report({ type: 'skipped', what, why: `${error.message}: ${error.why}` });
    return {
      ...blank(planned),
      state: 'failed',
      confirmed: 'no',
      why: `${error.message}: ${error.why}`,
      address: null,
    };
  }
}

async function record(
  context: Context,
  repository: Repository,
  remote: string | null,
  writer: LedgerWriter,
  releases: readonly ReleaseFolder[],
): Promise<void> {
  const names = releases.map(({ record: { package: name, version } }) => `${name} ${version}`).join(', ');
  if (!(await writer.flush(`Record deliveries of ${names}`)) || remote === null) return;
  try {
    await pushLedger(repository, remote, []);
  } catch (error) {
    if (!isBevelstoneError(error, 'REMOTE_REFUSED', 'LEDGER_CONTENDED')) throw error;
    warn(context, `the ledger is written here and could not be pushed to ${remote}: ${error.why}`);
  }
}

async function parcelOf({ folder, record: one }: ReleaseFolder, artifact: ArtifactRecord): Promise<Parcel> {
  const file = path.join(folder, artifact.file);
  const isNpm = artifact.form === 'npm-tarball';
  const read = isNpm ? await readArtifact(file) : null;
  const readme =
    read === null ? null : ([...read.texts].find(([inside]) => /^package\/readme/i.test(inside))?.[1] ?? null);
  return {
    file,
    fileName: artifact.file,
    form: artifact.form,
    sizeBytes: artifact.size,
    sha1: artifact.sha1,
    sha256: artifact.sha256,
    sha512: artifact.sha512,
    packageName: one.package,
    name: one.name,
    version: one.version,
    stream: one.stream,
    manifest: read?.manifest?.json ?? null,
    readme,
  };
}

async function hasIdentity({ place }: Repository): Promise<boolean> {
  try {
    await checkIdentity(place);
    return true;
  } catch (error) {
    if (isBevelstoneError(error, 'IDENTITY_MISSING')) return false;
    throw error;
  }
}

function pendingReleases(
  releases: readonly ReleaseFolder[],
  deliveries: readonly PlannedDelivery[],
): PublishedRelease[] {
  return releases.map(({ record: { package: name, version, tag, commit, source } }) => ({
    package: name,
    version,
    tag,
    commit,
    source,
    deliveries: deliveries
      .filter(({ release }) => release.record.package === name)
      .map((planned) =>
        planned.presence.type === 'same'
          ? { ...blank(planned), state: 'already-there' as const, address: planned.presence.address }
          : pending(planned, null),
      ),
  }));
}

function blank({ destination, artifact }: PlannedDelivery): Delivery {
  const { file, sha256 } = artifact;
  return {
    destination: destination.name,
    artifact: file,
    state: 'pending',
    confirmed: 'no',
    why: null,
    address: null,
    sha256,
  };
}

function pending(planned: PlannedDelivery, why: string | null): Delivery {
  return { ...blank(planned), why };
}

function deliveryFailed(failed: readonly Delivery[]): BevelstoneError {
  const [first] = failed;
  return new BevelstoneError('DELIVERY_FAILED', {
    message: `${failed.length} ${failed.length === 1 ? 'delivery' : 'deliveries'} failed`,
    why: failed.map(({ artifact, destination, why }) => `${artifact} to ${destination}: ${why}`).join('\n'),
    fix: `Settle that with ${first?.destination}, then run the same command again: it asks first and sends only what lacks`,
  });
}

function notTaken({ package: name, artifacts }: ReleaseRecord, destination: string): BevelstoneError {
  const forms = artifacts.map(({ form }) => form).join(', ') || 'nothing';
  return new BevelstoneError('FORM_NOT_TAKEN', {
    message: `${destination} takes nothing that ${name} has`,
    why: `${name} has ${forms}`,
    fix: 'Add an artifact of a form that it takes, widen `takes`, or remove it from `send-to`',
    where: { file: 'bevelstone.yaml' },
  });
}

function noRemote(): BevelstoneError {
  return new BevelstoneError('REMOTE_MISSING', {
    message: 'There is no remote to push the tag to',
    why: 'an uploaded file must never name a commit that nobody can fetch',
    fix: 'Add the remote with git remote add, and push the branch',
  });
}

function notPushed(tags: readonly string[], remote: string): BevelstoneError {
  return new BevelstoneError('TAG_NOT_PUSHED', {
    message: `${remote} has no annotated tag ${tags.join(', ')}`,
    why: 'the tag decides who releases a version, so it comes before any upload',
    fix: 'Run: bevelstone publish --tag, which makes and pushes it first',
  });
}

function notAnnotated(tag: string, remote: string): BevelstoneError {
  return new BevelstoneError('TAG_NOT_PUSHED', {
    message: `The tag ${tag} on ${remote} is a lightweight one`,
    why: 'only an annotated tag says who released when',
    fix: `Replace it by an annotated one: git tag -f -a ${tag} ${tag}^{} && git push -f ${remote} ${tag}`,
  });
}

function tagElsewhere(tag: string, where: string, found: string, wanted: string): BevelstoneError {
  return new BevelstoneError('TAG_ELSEWHERE', {
    message: `The tag ${tag} ${where} points to ${found.slice(0, 7)}, and this was built from ${wanted.slice(0, 7)}`,
    why: 'a version belongs to one commit for ever',
    fix: 'Build the tagged commit, or release a higher version',
  });
}
