import path from 'node:path';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { DeployedFile, Deployment, DeploymentState } from '../../core/record/deployment-state.ts';
import { whyUnreadable } from '../../core/record/parse-record.ts';
import { type PartialRecord, parsePartialRecord, partialName } from '../../core/record/partial-record.ts';
import { extractArchive } from '../../world/archive/extract.ts';
import { readArchive } from '../../world/archive/read-archive.ts';
import { hashFile } from '../../world/file-bytes.ts';
import { exists, makeFolder, readText, writeStream } from '../../world/files.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import { targetDigest } from '../../world/target/target.ts';
import type { Context } from '../context.ts';
import { vouchedArtifacts } from '../ledger-record/vouched.ts';
import { deployOnto, type Task } from './deploy-onto.ts';
import { changed, type Deployed, deploymentOf, type Ground, refuseUnfinished } from './deploy-plan.ts';
import { type LocalRelease, modeFor, refuseStrange } from './release-files.ts';
import { deploymentNamed, placesOf, readFilesOf, readState, type Site, undisturbed, withSite } from './site.ts';

/**
 * Puts a partial artifact onto the release that it needs: the files of that release come from the target, those that it
 * replaces from the archive. The result is a deployment like any other.
 * @throws DEPLOY_BASE_DIFFERS when something else is in place; DEPLOY_NO_ARTIFACT when the ledger does not have its digest.
 */
export async function deployPartial(
  context: Context,
  { repository, workspace, known }: Ground,
  { options, confirm }: Pick<Task, 'options' | 'confirm'>,
): Promise<Deployed> {
  const own = await makeOwnFolder(repository.commonFolder, 'deploy');
  try {
    const opened = await openPartial(context, known, { partial: options.partial ?? '', folder: own.folder });
    const { record, sha256, version, partialOf } = opened;
    const named = deploymentNamed(workspace, { name: options.to, packageName: record.package });
    return await withSite(context, { workspace, ...named }, async (site) => {
      const read = await readState(site);
      refuseUnfinished(site, read.state);
      return deployOnto(context, site, {
        options,
        confirm,
        repository,
        read,
        local: await undisturbed(site, read, () => assemble(site, read.state, opened)),
        package: record.package,
        version,
        commit: record.commit,
        artifact: record.file,
        sha256,
        partialOf,
      });
    });
  } finally {
    await own.remove();
  }
}

/** A partial artifact that was unpacked on this machine. */
export type OpenedPartial = {
  readonly record: PartialRecord;
  /** What is in place with it: its base, or its own release when everything new of that is in it. */
  readonly version: string;
  /** Issues that are added to the base; null for a whole release. */
  readonly partialOf: readonly string[] | null;
  readonly sha256: string;
  readonly file: string;
  /** Where its files lie, and where those of its base go. */
  readonly unpacked: string;
  readonly folder: string;
};

/** Unpacks a partial artifact that is on record. @throws FILE_NOT_FOUND, DEPLOY_NO_ARTIFACT, EXTRACT_UNSAFE */
export async function openPartial(
  context: Context,
  known: Ground['known'],
  { partial, folder }: { readonly partial: string; readonly folder: string },
): Promise<OpenedPartial> {
  const file = path.resolve(context.folder, partial);
  if (!(await exists(file))) throw notFound(file);
  const unpacked = path.join(folder, 'partial');
  await extractArchive(file, unpacked);
  const record = await readPartial(file, unpacked);
  const sha256 = await hashFile(file, 'sha256');
  const opened = { record, sha256, file, unpacked, folder: path.join(folder, 'release') };
  const own = known.filter((release) => release.package === record.package);
  const isItself = (artifact: { readonly sha256: string }) => artifact.sha256 === sha256;
  const whole = own.find((release) => release.isVouched && vouchedArtifacts(release).some(isItself));
  if (whole !== undefined) return { ...opened, version: whole.version, partialOf: null };
  const base = own.find((release) => release.version === record.base.version);
  if (base?.partials.some(isItself) !== true) throw notRecorded(file, record);
  return { ...opened, version: base.version, partialOf: record.issues };
}

async function readPartial(file: string, unpacked: string): Promise<PartialRecord> {
  const place = path.join(unpacked, partialName);
  const parsed = (await exists(place))
    ? parsePartialRecord(await readText(place))
    : ({ type: 'damaged', why: `it has no ${partialName}` } as const);
  if (parsed.type === 'record') return parsed.record;
  throw new BevelstoneError('DEPLOY_NO_ARTIFACT', {
    message: `${path.basename(file)} is not a partial artifact`,
    why: whyUnreadable(parsed),
    fix: 'Make one with: bevelstone build --changed-by issue:12',
    where: { file },
  });
}

/** The whole release: files of the one in place, with those of the partial artifact instead. @throws DEPLOY_BASE_DIFFERS, DEPLOY_CHANGED */
export async function assemble(
  site: Site,
  state: DeploymentState,
  { record, file, unpacked, folder }: OpenedPartial,
): Promise<LocalRelease> {
  const current = deploymentOf(state, state.current);
  const files = await readFilesOf(site, current?.id ?? null);
  refuseOtherBase(site, record, { current, files });
  const entries = new Map((await readArchive(file)).entries.map((entry) => [entry.path, entry]));
  const changedPaths = new Set([...record.entries, ...record.removed].map((entry) => entry.path));
  const kept = files.filter((own) => !changedPaths.has(own.path));
  const top = placesOf(site).release(current?.id ?? '');
  for (const own of kept) await fetchFile(site, own, { top, folder });
  const fresh = record.entries.map(({ path: inside, sha256 }): DeployedFile => {
    const entry = entries.get(inside);
    if (entry === undefined || entry.sha256 !== sha256) throw notAsRecorded(file, inside);
    if (entry.type === 'symlink') return { path: inside, type: 'symlink', mode: 0, sha256, linkname: entry.linkname };
    return { path: inside, type: 'file', mode: modeFor(inside, entry.mode, site.config.map), sha256, linkname: null };
  });
  refuseStrange(file, fresh);
  const all = [...kept, ...fresh].sort((a, b) => (a.path < b.path ? -1 : 1));
  const placeOf = (inside: string) => path.join(changedPaths.has(inside) ? unpacked : folder, inside);
  return { files: all, placeOf };
}

/** A file of the release in place, to this machine. @throws DEPLOY_CHANGED when it is not what was deployed. */
async function fetchFile(
  site: Site,
  own: DeployedFile,
  { top, folder }: { readonly top: string; readonly folder: string },
): Promise<void> {
  if (own.type === 'symlink') return;
  const place = `${top}/${own.path}`;
  const here = path.join(folder, own.path);
  if ((await site.target.find(place))?.type !== 'file' || (await targetDigest(site.target, place)) !== own.sha256)
    throw changed(site, [{ path: place, how: 'changed, and the rest of the release is taken from here' }]);
  await makeFolder(path.dirname(here));
  await writeStream(here, site.target.read(place));
  if ((await hashFile(here, 'sha256')) !== own.sha256)
    throw changed(site, [{ path: place, how: 'changed while it was read' }]);
}

/** @throws DEPLOY_BASE_DIFFERS */
function refuseOtherBase(
  site: Site,
  { package: name, base, entries, removed }: PartialRecord,
  { current, files }: { readonly current: Deployment | null; readonly files: readonly DeployedFile[] },
): void {
  const there = new Map(files.map((own) => [own.path, own.sha256]));
  const refuse = (why: string) =>
    new BevelstoneError('DEPLOY_BASE_DIFFERS', {
      message: `this needs ${name} ${base.version} on ${site.name}, and something else is in place`,
      why,
      fix: `Deploy its base first: bevelstone deploy ${name}@${base.version} --to ${site.name}`,
    });
  if (current === null) throw refuse(`nothing is deployed on ${site.target.where}`);
  if (current.package !== name || current.version !== base.version)
    throw refuse(`${current.package} ${current.version} is on ${site.target.where}`);
  for (const { path: inside, before, sha256 } of entries) {
    const own = there.get(inside) ?? null;
    if (own !== before && own !== sha256) throw refuse(`${inside} is not the file that it replaces`);
  }
  for (const { path: inside, before } of removed) {
    const own = there.get(inside);
    if (own !== undefined && own !== before) throw refuse(`${inside} is not the file that it removes`);
  }
}

function notFound(file: string): BevelstoneError {
  return new BevelstoneError('FILE_NOT_FOUND', {
    message: `file not found: ${file}`,
    why: 'it was given with --partial',
    fix: 'Check the path',
    where: { file },
  });
}

function notRecorded(file: string, { package: name, base }: PartialRecord): BevelstoneError {
  return new BevelstoneError('DEPLOY_NO_ARTIFACT', {
    message: `the ledger does not have ${path.basename(file)}`,
    why: `no partial artifact of ${name} for ${base.version} with this SHA-256 is on record`,
    fix: 'Take the file as it was made, and fetch the ledger: bevelstone ledger list',
    where: { file },
  });
}

function notAsRecorded(file: string, inside: string): BevelstoneError {
  return new BevelstoneError('DEPLOY_NO_ARTIFACT', {
    message: `${path.basename(file)} is not what it says`,
    why: `${inside} is missing in it, or has other bytes than its own record says`,
    fix: 'Make it again: bevelstone build --changed-by …',
    where: { file },
  });
}
