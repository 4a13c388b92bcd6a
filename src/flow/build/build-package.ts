import path from 'node:path';
import type { ReleaseNotes } from '../../core/changelog/section.ts';
import type { ArtifactConfig, PackageConfig } from '../../core/config/config.ts';
import { formatMode, type Origin } from '../../core/contents/entry.ts';
import { type Candidate, outPrefix } from '../../core/contents/select.ts';
import { formDefinitions } from '../../core/form/definitions.ts';
import type { FormInput } from '../../core/form/layout.ts';
import type { PlannedContent, PlannedEntry } from '../../core/form/plan.ts';
import { planArtifact } from '../../core/form/plan-artifact.ts';
import { platformUse } from '../../core/form/platform-use.ts';
import { sourceInput } from '../../core/form/source-archive/from-source.ts';
import type { Form } from '../../core/name/form.ts';
import type { ArtifactRecord, PendingArtifact } from '../../core/record/release-record.ts';
import { replaceFolder } from '../../world/fresh-folder.ts';
import { listFilesAt } from '../../world/git/read-objects.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import { type ListedFile, listFiles } from '../../world/list-files.ts';
import { readInside } from '../../world/place-inside.ts';
import { hostPlatform } from '../../world/platform.ts';
import { countMoved } from '../context.ts';
import { type LaidInput, layInputs } from '../inputs/lay-inputs.ts';
import { builtFolder } from '../release-folder/built-release.ts';
import { needsSbom } from '../sbom/needs-sbom.ts';
import { packageSource } from '../workspace/package-source.ts';
import type { Package } from '../workspace/workspace.ts';
import { bringArtifact } from './brought.ts';
import type { BuildJob } from './build-job.ts';
import { listEntries, notesForRelease, writeRecords } from './build-records.ts';
import { placeOfJob, runSteps, stepRuns } from './build-steps.ts';
import { Origins } from './origins.ts';
import { lockStamped } from './own-lockfiles.ts';
import { type PackedArtifact, packArtifacts } from './pack-artifact.ts';
import { newOnlyOf, packNewOnly } from './pack-new-only.ts';
import { stampCheckout } from './stamp.ts';

/** One release that was built. */
export type BuiltRelease = {
  readonly package: string;
  readonly version: string;
  /** Absolute path of its folder. */
  readonly folder: string;
  readonly artifacts: readonly ArtifactRecord[];
  readonly pending: readonly PendingArtifact[];
};

/** What would go into the artifacts of a release. */
export type ReleaseSelection = {
  readonly package: string;
  readonly version: string;
  readonly artifacts: readonly {
    readonly file: string;
    readonly form: Form;
    readonly platform: string | null;
    readonly entries: readonly ListedEntry[];
  }[];
};

/** Something that would go into an artifact. */
export type ListedEntry = {
  readonly path: string;
  /** In bytes; null for what only packing can tell. */
  readonly size: number | null;
  readonly mode: string;
  readonly origin: Origin;
};

/** A package whose steps have run: all that its artifacts are made of. */
type Prepared = {
  readonly files: readonly ListedFile[];
  /** Files at the commit, and what inputs brought. */
  readonly tracked: Pick<ReadonlySet<string>, 'has'>;
  readonly inputs: readonly LaidInput[];
  readonly stamped: ReadonlySet<string>;
  readonly origins: Origins;
  readonly notes: ReleaseNotes;
};

/** Stamps, runs the steps, packs every artifact and puts the release folder in its place. */
export async function buildPackage(job: BuildJob, output: string): Promise<BuiltRelease> {
  const { pkg, version } = job;
  const prepared = await prepare(job);
  const final = builtFolder(output, { package: pkg.name, version });
  const pending = pendingOf(job);
  const { commonFolder } = job.survey.workspace.repository;
  const artifacts = await replaceFolder(commonFolder, final, async (fresh) => {
    const packed = await makeAll(job, prepared, fresh);
    await writeRecords(job, { fresh, artifacts: packed, pending, notes: prepared.notes });
    return packed;
  });
  return { package: pkg.name, version, folder: final, artifacts: artifacts.map(({ record }) => record), pending };
}

/** Every artifact of this machine, into a folder. */
async function makeAll(job: BuildJob, prepared: Prepared, fresh: string): Promise<PackedArtifact[]> {
  const packed: PackedArtifact[] = [];
  for (const { artifact, platform } of madeHere(job)) {
    job.signal.throwIfAborted();
    packed.push(...(await makeArtifacts({ job, prepared, artifact, platform, fresh })));
  }
  return [...packed, ...(await packNewOnly(job, { packed, folder: fresh }))];
}

/** Runs the steps and lists what every artifact would contain, generated files and helpers included, without packing. */
export async function listPackage(job: BuildJob): Promise<ReleaseSelection> {
  const prepared = await prepare(job);
  const artifacts: ReleaseSelection['artifacts'][number][] = [];
  for (const { artifact, platform } of madeHere(job)) {
    const { form } = artifact;
    if (artifact.brought !== null) {
      artifacts.push({ ...(await listBrought(job, { prepared, artifact, platform })), form, platform });
      continue;
    }
    const plan = await planArtifact(await formInput({ job, prepared, artifact, platform }));
    const { originOf } = sourceOf(job, prepared, artifact);
    const control = (plan.control ?? []).map((entry) => ({
      ...entry,
      path: `control.tar.gz/${entry.path.replace(/^\.\//, '')}`,
    }));
    const entries = [...control, ...plan.entries].map((entry) => listedEntry(entry, originOf));
    // Each loose file is an artifact with itself in it.
    if (formDefinitions[form].isLoose)
      for (const entry of entries) artifacts.push({ file: entry.path, form, platform, entries: [entry] });
    else artifacts.push({ file: plan.fileName, form, platform, entries });
  }
  if (newOnlyOf(job).length > 0) artifacts.push(...(await listNewOnly(job, prepared)));
  return { package: job.pkg.name, version: job.version, artifacts };
}

function listedEntry({ path: inside, mode, content }: PlannedEntry, originOf: (file: string) => Origin): ListedEntry {
  return {
    path: inside,
    size: plannedSize(content),
    mode: formatMode(mode),
    origin: content.type === 'file' ? originOf(content.source.path) : { type: 'generated' },
  };
}

function plannedSize(content: PlannedContent): number | null {
  if (content.type === 'file') return content.source.sizeBytes;
  if (content.type === 'bytes') return content.bytes.byteLength;
  return content.type === 'folder' ? 0 : null;
}

/** What is inside an artifact that a build step made. */
async function listBrought(
  job: BuildJob,
  { prepared, artifact, platform }: { readonly prepared: Prepared } & Made,
): Promise<Pick<ReleaseSelection['artifacts'][number], 'file' | 'entries'>> {
  const own = await makeOwnFolder(job.survey.workspace.repository.commonFolder, 'list');
  try {
    const [made] = await makeArtifacts({ job, prepared, artifact, platform, fresh: own.folder });
    if (made === undefined) throw new Error('a brought artifact is one file');
    const { record, entries } = made;
    return { file: record.file, entries: [...listEntries(entries)] };
  } finally {
    await own.remove();
  }
}

/** What is inside the partial artifacts: only the bytes of the whole ones can tell. */
async function listNewOnly(job: BuildJob, prepared: Prepared): Promise<ReleaseSelection['artifacts'][number][]> {
  const own = await makeOwnFolder(job.survey.workspace.repository.commonFolder, 'list');
  try {
    const packed = await makeAll(job, prepared, own.folder);
    return packed.flatMap(({ record: { file, form, platform, partial }, entries }) =>
      partial === undefined ? [] : [{ file, form, platform, entries: [...listEntries(entries)] }],
    );
  } finally {
    await own.remove();
  }
}

async function prepare(job: BuildJob): Promise<Prepared> {
  const { survey, pkg, folder, out } = job;
  const at = await listFilesAt(survey.workspace.repository.place, survey.commit, '');
  const prefix = pkg.folder === '' ? '' : `${pkg.folder}/`;
  const all = new Set(at.keys());
  const stamped = new Set(
    [...(await stampCheckout(job, all)), ...(await lockStamped(job, all))]
      .filter((file) => file.startsWith(prefix))
      .map((file) => file.slice(prefix.length)),
  );
  const { repository } = survey.workspace;
  const inputs = await layInputs(job.context, {
    repository,
    package: pkg.name,
    config: pkg.config,
    folder,
    time: job.sourceTime,
  });
  const brought = new Map(inputs.flatMap(({ config, files }) => files.map((file) => [file, config.name] as const)));
  const facts = { folder: pkg.folder, commit: survey.commit, tracked: at, stamped, inputs: brought };
  // Without a step nothing changes that could have to be told from what was there.
  const origins = new Origins(facts, pkg.config.build.length === 0 ? [] : await listFiles(folder));
  await runSteps(placeOfJob(job), stepRuns(pkg.config.build, job.platforms), async (step) =>
    origins.after(step, await listAll(folder, out)),
  );
  return {
    files: await listAll(folder, out),
    tracked: { has: (file) => at.has(prefix + file) || brought.has(file) },
    inputs,
    stamped,
    origins,
    notes: await notesForRelease(job),
  };
}

async function listAll(folder: string, out: string): Promise<ListedFile[]> {
  const made = (await listFiles(out)).map((file) => ({ ...file, path: outPrefix + file.path }));
  return [...(await listFiles(folder)), ...made];
}

/** A package and those of its platforms that are built here. */
type BuiltHere = {
  readonly pkg: { readonly config: Pick<PackageConfig, 'artifacts' | 'platforms'> };
  readonly platforms: readonly string[];
};

/** An artifact, for one platform or for none. */
export type Made = { readonly artifact: ArtifactConfig; readonly platform: string | null };

/** Artifacts of this machine: those without a platform once, the others for each platform that is built here. */
export function madeHere({ pkg, platforms }: BuiltHere): Made[] {
  return wholeOf(pkg).flatMap((artifact): Made[] => {
    const use = platformUse(artifact, pkg.config.platforms);
    if (use === 'each') return platforms.map((platform) => ({ artifact, platform }));
    const isWhole = use === 'none' || platforms.length === pkg.config.platforms.length;
    return isWhole ? [{ artifact, platform: null }] : [];
  });
}

/** Artifacts that are laid out by themselves; partial ones follow them. */
function wholeOf({ config }: BuiltHere['pkg']): ArtifactConfig[] {
  return config.artifacts.filter((artifact) => artifact['only-new-after'] === null);
}

/** What other machines have to build, so that nothing is dropped in silence. */
export function pendingOf({ pkg, platforms }: BuiltHere): PendingArtifact[] {
  const elsewhere = pkg.config.platforms.filter((platform) => !platforms.includes(platform));
  return wholeOf(pkg).flatMap((artifact) => {
    if (platformUse(artifact, pkg.config.platforms) === 'none') return [];
    return elsewhere.map((platform) => ({
      form: artifact.form,
      platform,
      why: `this machine is ${hostPlatform()}; if the build steps can cross-compile: bevelstone build --platform ${platform}`,
    }));
  });
}

async function makeArtifacts({
  job,
  prepared,
  artifact,
  platform,
  fresh,
}: {
  readonly job: BuildJob;
  readonly prepared: Prepared;
  readonly artifact: ArtifactConfig;
  readonly platform: string | null;
  readonly fresh: string;
}): Promise<PackedArtifact[]> {
  const { locate, originOf } = sourceOf(job, prepared, artifact);
  if (artifact.brought !== null) {
    return [await bringArtifact(job, { artifact, platform, files: prepared.files, locate, originOf, target: fresh })];
  }
  const progress = (of: number) => countMoved(job.context, job.what, of);
  return packArtifacts(await formInput({ job, prepared, artifact, platform }), {
    locate,
    originOf,
    target: fresh,
    progress,
  });
}

/** Where selected files lie and come from: the package's folder, the steps' own, or for a whole tree the checkout. */
function sourceOf({ pkg, folder, out, checkout, survey }: BuildJob, prepared: Prepared, artifact: ArtifactConfig) {
  const isTree = artifact.tree === 'commit';
  const prefix = pkg.folder === '' ? '' : `${pkg.folder}/`;
  const locate = ({ path: file }: Candidate) => {
    if (file.startsWith(outPrefix)) return path.join(out, file.slice(outPrefix.length));
    return path.join(isTree ? checkout : folder, file);
  };
  const originOf = (file: string): Origin => {
    if (!isTree) return prepared.origins.of(file);
    if (file.startsWith(prefix)) return prepared.origins.of(file.slice(prefix.length));
    return { type: 'source', path: file, commit: survey.commit, stamped: false };
  };
  return { locate, originOf };
}

async function needsOf({ context, survey, pkg, version, versions, sourceTime }: BuildJob) {
  const { workspace, commit } = survey;
  const named = [...versions].map(([index, each]) => [workspace.packages[index]?.name ?? '', each] as const);
  return needsSbom(context, { workspace, commit, pkg, version, versions: new Map(named), sourceTime });
}

async function formInput({
  job,
  prepared,
  artifact,
  platform,
}: {
  readonly job: BuildJob;
  readonly prepared: Prepared;
  readonly artifact: ArtifactConfig;
  readonly platform: string | null;
}): Promise<FormInput> {
  const { pkg, survey, folder, checkout, context } = job;
  const manifestPath = pkg.manifestPath === null ? null : path.posix.relative(pkg.folder, pkg.manifestPath);
  const text =
    manifestPath === null ? null : await readInside(checkout, path.join(folder, manifestPath), 'the manifest');
  const isTree = artifact.tree === 'commit';
  const whole = isTree ? await listFilesAt(survey.workspace.repository.place, survey.commit, '') : null;
  return {
    artifact,
    packageName: pkg.name,
    // Read again, since the version was written into it.
    manifest: pkg.format === null || text === null ? pkg.manifest : pkg.format.read(text, pkg.manifestPath ?? ''),
    manifestPath,
    version: job.version,
    stream: survey.stream,
    platform,
    platforms: job.platforms,
    commit: survey.commit,
    sourceTime: job.sourceTime,
    supplier: survey.workspace.config.supplier,
    notes: prepared.notes,
    programVersion: context.programVersion,
    files: isTree ? await listFiles(checkout) : prepared.files,
    tracked: whole === null ? prepared.tracked : new Set([...whole.keys(), ...inputFiles(pkg, prepared)]),
    isStamped: prepared.stamped.size > 0,
    folder: pkg.folder,
    read: (file) => readInside(checkout, path.join(folder, file), file),
    readAbove: (file) => readInside(checkout, path.join(checkout, file), file),
    needsSbom: () => needsOf(job),
    fromSource: (folder) =>
      packageSource(pkg, {
        version: job.version,
        commit: survey.commit,
        time: job.sourceTime,
        folder,
        inputs: prepared.inputs.map(({ config, patches }) => sourceInput(config, patches)),
        release: {
          program: context.programVersion,
          supplier: survey.workspace.config.supplier,
          stream: survey.stream,
          notes: prepared.notes,
        },
      }),
  };
}

/** Files of inputs by their paths in the whole tree. */
function inputFiles({ folder }: Package, { inputs }: Prepared): string[] {
  return inputs.flatMap(({ files }) => files.map((file) => path.posix.join(folder, file)));
}
