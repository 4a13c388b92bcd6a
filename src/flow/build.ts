import { createHash } from 'node:crypto';
import { mkdir, rename, rm } from 'node:fs/promises';
import path from 'node:path';
import { renderMarkdown } from '../core/changelog/markdown.ts';
import type { ArtifactConfig, StepConfig } from '../core/config/config.ts';
import { contentDigest, formatMode, type Origin, type PackedEntry } from '../core/contents/entry.ts';
import { type Candidate, type Staged, selectByRules } from '../core/contents/select.ts';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { layOut } from '../core/form/form.ts';
import { selectForNpm } from '../core/form/npm-selection.ts';
import { orderByDependency } from '../core/history/dependency.ts';
import type { ArtifactRecord, ReleaseRecord } from '../core/ledger/release-record.ts';
import { parsePackageJson } from '../core/manifest/package-json.ts';
import { rangeRules } from '../core/version/range.ts';
import { isWorkspaceRange } from '../core/version/range-node.ts';
import { spell } from '../core/version/spelling.ts';
import { pointerOf } from '../core/version/stream.ts';
import { formatTag } from '../core/version/tag-pattern.ts';
import { type WrittenArchive, writeTarGz } from '../world/archive/write-tar.ts';
import { exists, readTextIfThere, writeWhole } from '../world/files.ts';
import { listFilesAt } from '../world/git/read-objects.ts';
import { commitTime, uncommittedPaths } from '../world/git/repository.ts';
import { checkOut } from '../world/git/worktree.ts';
import { type ListedFile, listFiles } from '../world/list-files.ts';
import { runStep } from '../world/step.ts';
import { type Context, warn } from './context.ts';
import { credentialVariables } from './credential-variables.ts';
import { notesOf, readIntro } from './notes.ts';
import { plainSurvey, type Survey, type SurveyedPackage, surveyWorkspace } from './survey.ts';
import type { Package } from './workspace.ts';

/** One release that was built. */
export type BuiltRelease = {
  readonly package: string;
  readonly version: string;
  /** Absolute path of its folder. */
  readonly folder: string;
  readonly artifacts: readonly ArtifactRecord[];
  readonly pending: readonly { readonly form: string; readonly platform: string; readonly why: string }[];
};

/** The answer of `build`. */
export type Build = {
  readonly commit: string;
  readonly dirty: boolean;
  readonly releases: readonly BuiltRelease[];
  readonly resting: readonly SurveyedPackage[];
};

/** What `build` may be asked to do otherwise. */
export type BuildOptions = { readonly at: string | null };

/**
 * Builds every package that has something to release, each from a fresh checkout of the commit, into the output folder.
 * A commit that already carries a package's tag gives that very version again.
 * @throws STEP_FAILED with the log's last lines; what was built before it stays.
 */
export async function buildWorkspace(context: Context, { at }: BuildOptions): Promise<Build> {
  const survey = await surveyWorkspace(context, { ...plainSurvey, at }, 'commit');
  const { repository, packages } = survey.workspace;
  const dirty = at === null && (await warnAboutDirt(context, survey));
  const versions = new Map(survey.packages.flatMap((one, index) => versionHere(one, survey, index)));
  const names = packages.map(({ name }) => name);
  const order = orderByDependency(names, survey.edges).filter((index) => versions.has(index));
  const releases: BuiltRelease[] = [];
  for (const index of order) {
    const [one, version] = [packages[index], versions.get(index)];
    const surveyed = survey.packages[survey.indexes.indexOf(index)];
    if (one === undefined || version === undefined || surveyed === undefined) continue;
    context.signal.throwIfAborted();
    context.report({ type: 'started', what: `build ${one.name} ${version}` });
    const checkout = await checkOut(repository.place, survey.commit);
    try {
      const release = await buildPackage({
        context,
        survey,
        surveyed,
        one,
        version,
        versions,
        checkout: checkout.folder,
      });
      releases.push(release);
      const files = release.artifacts.map(({ file }) => file).join(', ') || 'no artifact configured';
      context.report({ type: 'finished', what: `build ${one.name} ${version}`, detail: files });
    } finally {
      await checkout.remove();
    }
  }
  const resting = survey.packages.filter((_, index) => !versions.has(survey.indexes[index] ?? -1));
  return { commit: survey.commit, dirty, releases, resting };
}

type Job = {
  readonly context: Context;
  readonly survey: Survey;
  readonly surveyed: SurveyedPackage;
  readonly one: Package;
  readonly version: string;
  /** Versions of this build by package index. */
  readonly versions: ReadonlyMap<number, string>;
  /** Root of the checkout. */
  readonly checkout: string;
};

function versionHere({ next, last }: SurveyedPackage, survey: Survey, position: number): [number, string][] {
  const index = survey.indexes[position] ?? -1;
  if (next !== null) return [[index, next]];
  return last !== null && last.commit === survey.commit ? [[index, last.version]] : [];
}

async function warnAboutDirt(context: Context, { workspace }: Survey): Promise<boolean> {
  const paths = await uncommittedPaths(workspace.repository.place);
  if (paths.length === 0) return false;
  const named = paths.slice(0, 3).join(', ') + (paths.length > 3 ? ` and ${paths.length - 3} more` : '');
  warn(context, `not committed and so not in this build: ${named}`);
  return true;
}

async function buildPackage(job: Job): Promise<BuiltRelease> {
  const { survey, one, version, checkout } = job;
  const { repository, config } = survey.workspace;
  const folder = path.join(checkout, one.folder);
  const sourceTime = await commitTime(repository.place, survey.commit);
  const tracked = await listFilesAt(repository.place, survey.commit, one.folder);
  const stampedFile = await stampManifest(job, folder);
  const origins = new Origins(one, survey.commit, new Set(tracked.keys()), stampedFile, await listFiles(folder));
  for (const [index, step] of one.config.build.entries()) {
    await runBuildStep(job, step, { index, folder, sourceTime });
    origins.after(step, await listFiles(folder));
  }
  const files = await listFiles(folder);
  const out = path.join(repository.root, config.output);
  const final = path.join(out, `${fileNameOf(one.name)}-${version}`);
  const fresh = `${final}.${process.pid}.tmp`;
  await rm(fresh, { recursive: true, force: true });
  await mkdir(fresh, { recursive: true });
  try {
    const artifacts: { record: ArtifactRecord; entries: readonly PackedEntry[] }[] = [];
    for (const artifact of one.config.artifacts) {
      artifacts.push(await buildArtifact(job, artifact, { files, folder, fresh, origins, sourceTime }));
    }
    const records = artifacts.map(({ record }) => record);
    await writeRecords(job, { fresh, artifacts, sourceTime });
    await replaceFolder(fresh, final);
    return { package: one.name, version, folder: final, artifacts: records, pending: [] };
  } finally {
    await rm(fresh, { recursive: true, force: true });
  }
}

/** Writes the version, and the ranges of workspace packages that are released with it, into the checkout's manifest. */
async function stampManifest({ one, version, versions, survey }: Job, folder: string): Promise<string | null> {
  if (one.format === null || one.manifestPath === null) return null;
  const inside = path.posix.relative(one.folder, one.manifestPath);
  const file = path.join(folder, inside);
  const ranges = survey.edges
    .filter(({ from }) => survey.workspace.packages[from] === one)
    .flatMap(({ to, range, takes }) => {
      const needed = survey.workspace.packages[to];
      const released = versions.get(to) ?? survey.packages[survey.indexes.indexOf(to)]?.last?.version;
      const isKept = one.ecosystem !== 'node' || !isWorkspaceRange(range);
      if (released === undefined || (takes(released) && isKept)) return [];
      return [
        {
          name: needed?.manifest?.name ?? needed?.name ?? '',
          from: range,
          to: rangeRules(one.ecosystem).raise(range, released),
        },
      ];
    });
  await writeWhole(
    file,
    one.format.stamp(
      (await readTextIfThere(file)) ?? '',
      { version: spelt(one, version, survey), ranges },
      one.manifestPath,
    ),
  );
  return inside;
}

/** The version as the ecosystem's manifest has it. */
function spelt({ ecosystem }: Package, version: string, { stream }: Survey): string {
  if (ecosystem === 'python') return spell('python', version, stream);
  return ecosystem === 'jvm' ? spell('maven', version, stream) : version;
}

async function runBuildStep(
  { context, survey, one, version }: Job,
  step: StepConfig,
  { index, folder, sourceTime }: { index: number; folder: string; sourceTime: number },
): Promise<void> {
  const { repository, config } = survey.workspace;
  const log = path.join(
    repository.commonFolder,
    'bevelstone',
    'logs',
    `${fileNameOf(one.name)}-${version}-step-${index + 1}.log`,
  );
  const hidden = credentialVariables(config);
  const inherited = Object.entries(context.env).filter(
    (pair): pair is [string, string] => pair[1] !== undefined && !hidden.has(pair[0]) && !pair[0].startsWith('npm_'),
  );
  const env = {
    ...Object.fromEntries(inherited),
    LC_ALL: 'C',
    TZ: 'UTC',
    ...step.env,
    SOURCE_DATE_EPOCH: String(sourceTime),
    BEVELSTONE_VERSION: version,
    BEVELSTONE_COMMIT: survey.commit,
  };
  const place = path.join(folder, step.in);
  if (!(await exists(place))) throw noStepFolder(step, index, one);
  const end = await runStep({ run: step.run, folder: place, env, log, signal: context.signal });
  if (end.exitCode === 0) return;
  throw new BevelstoneError('STEP_FAILED', {
    message: `Build step ${index + 1} of ${one.name}, \`${step.name}\`, ended with ${end.exitCode === null ? 'a signal' : `exit code ${end.exitCode}`}`,
    why: ['its last lines were:', ...end.tail.map((line) => `| ${line}`)].join('\n'),
    fix: `Read the whole log: ${log}\nThen correct the step or what it builds, commit, and build again`,
  });
}

function noStepFolder(step: StepConfig, index: number, one: Package): BevelstoneError {
  return new BevelstoneError('STEP_FAILED', {
    message: `Build step ${index + 1} of ${one.name}, \`${step.name}\`, cannot start`,
    why: `the checkout has no folder ${step.in} in ${one.folder || 'its root'}`,
    fix: 'Correct `in` of the step, or let an earlier step make the folder',
    where: { file: 'bevelstone.yaml' },
  });
}

/** Remembers which files were at the commit and which step wrote the others. */
class Origins {
  readonly #one: Package;
  readonly #commit: string;
  readonly #tracked: ReadonlySet<string>;
  readonly #stamped: string | null;
  readonly #seen: Map<string, string>;
  readonly #steps = new Map<string, string>();

  constructor(
    one: Package,
    commit: string,
    tracked: ReadonlySet<string>,
    stamped: string | null,
    files: readonly ListedFile[],
  ) {
    [this.#one, this.#commit, this.#tracked, this.#stamped] = [one, commit, tracked, stamped];
    this.#seen = new Map(files.map((file) => [file.path, file.stamp]));
  }

  /** Files that are new or changed since the last look come from this step. */
  after(step: StepConfig, files: readonly ListedFile[]): void {
    for (const { path: file, stamp } of files) {
      if (this.#seen.get(file) === stamp) continue;
      this.#seen.set(file, stamp);
      this.#steps.set(file, step.name);
    }
  }

  of(file: string): Origin {
    const full = this.#one.folder === '' ? file : `${this.#one.folder}/${file}`;
    const step = this.#steps.get(file);
    if (step !== undefined) return { type: 'step', path: full, step };
    if (!this.#tracked.has(full)) return { type: 'generated' };
    return { type: 'source', path: full, commit: this.#commit, stamped: file === this.#stamped };
  }
}

type Packing = {
  readonly files: readonly Candidate[];
  readonly folder: string;
  readonly fresh: string;
  readonly origins: Origins;
  readonly sourceTime: number;
};

async function buildArtifact(
  { one, version }: Job,
  artifact: ArtifactConfig,
  { files, folder, fresh, origins, sourceTime }: Packing,
): Promise<{ record: ArtifactRecord; entries: readonly PackedEntry[] }> {
  const staged = await select(one, artifact, files, folder);
  const { fileName, prefix } = layOut({
    form: artifact.form,
    packageName: one.name,
    manifestName: one.manifest?.name ?? one.name,
    version,
    name: artifact.name,
  });
  const inputs = staged.map(({ source, path: inside, mode }) => ({
    path: prefix + inside,
    mode,
    sizeBytes: source.sizeBytes,
    linkname: source.linkname,
    file: path.join(folder, source.path),
    origin: origins.of(source.path),
  }));
  const written = await writeTarGz(path.join(fresh, fileName), inputs, sourceTime);
  return { record: toRecord(fileName, artifact, written), entries: written.entries };
}

async function select(
  one: Package,
  artifact: ArtifactConfig,
  files: readonly Candidate[],
  folder: string,
): Promise<Staged[]> {
  if (artifact.contents !== null) return selectByRules(files, artifact.contents, one.name);
  const manifest = one.ecosystem === 'node' ? await readTextIfThere(path.join(folder, 'package.json')) : null;
  if (manifest !== null) {
    const ignoreText =
      (await readTextIfThere(path.join(folder, '.npmignore'))) ??
      (await readTextIfThere(path.join(folder, '.gitignore')));
    return selectForNpm(files, parsePackageJson(manifest, one.manifestPath ?? 'package.json'), ignoreText);
  }
  return selectByRules(files, [{ from: '.', to: null, only: [], except: [], mode: null }], one.name);
}

function toRecord(
  file: string,
  { form }: ArtifactConfig,
  { entries, sizeBytes, ...written }: WrittenArchive,
): ArtifactRecord {
  const { sha256, sha512, sha1 } = written;
  return {
    file,
    form,
    platform: null,
    size: sizeBytes,
    sha256,
    sha512,
    sha1,
    contentDigest: contentDigest(entries, ''),
    entries: entries.length,
  };
}

async function writeRecords(
  job: Job,
  {
    fresh,
    artifacts,
    sourceTime,
  }: {
    fresh: string;
    artifacts: readonly { record: ArtifactRecord; entries: readonly PackedEntry[] }[];
    sourceTime: number;
  },
): Promise<void> {
  const release = toRelease(
    job,
    artifacts.map(({ record }) => record),
    sourceTime,
  );
  const contents = {
    schema: 'bevelstone/1',
    package: release.package,
    version: release.version,
    commit: release.commit,
    artifacts: artifacts.map(({ record, entries }) => ({
      file: record.file,
      contentDigest: record.contentDigest,
      entries: entries.map(({ path: inside, type, sizeBytes, mode, sha256, origin }) => ({
        path: inside,
        type,
        size: sizeBytes,
        mode: formatMode(mode),
        sha256,
        origin,
      })),
    })),
  };
  const contentsText = `${JSON.stringify(contents, null, 2)}\n`;
  const releaseText = `${JSON.stringify(release, null, 2)}\n`;
  await writeWhole(path.join(fresh, 'CONTENTS.json'), contentsText);
  await writeWhole(path.join(fresh, 'release.json'), releaseText);
  const notesText = await writeNotes(job, fresh, sourceTime);
  const digests = [
    ...artifacts.map(({ record }) => [record.sha256, record.file] as const),
    [sha256(contentsText), 'CONTENTS.json'] as const,
    [sha256(releaseText), 'release.json'] as const,
    [sha256(notesText), 'NOTES.md'] as const,
  ];
  await writeWhole(path.join(fresh, 'SHA256SUMS'), digests.map(([digest, file]) => `${digest}  ${file}\n`).join(''));
}

/** The notes that go along with the release, dated by its commit so that they are the same each time. */
async function writeNotes({ survey, surveyed, version }: Job, fresh: string, sourceTime: number): Promise<string> {
  const intro = await readIntro(survey, surveyed);
  const at = new Date(sourceTime * 1000);
  const notes = { ...notesOf(survey, surveyed, { at, intro, contributors: false, range: '' }), version };
  const text = renderMarkdown(notes, { links: survey.workspace.config.links, withPackage: true, level: 2 });
  await writeWhole(path.join(fresh, 'NOTES.md'), text);
  return text;
}

function toRelease(
  { context, survey, surveyed, one, version }: Job,
  artifacts: readonly ArtifactRecord[],
  sourceTime: number,
): ReleaseRecord {
  const { workspace, stream, commit } = survey;
  const index = workspace.packages.indexOf(one);
  return {
    schema: 'bevelstone/1',
    package: one.name,
    name: one.manifest?.name ?? one.name,
    ecosystem: one.ecosystem,
    folder: one.folder === '' ? '.' : one.folder,
    version,
    last: surveyed.last?.version ?? null,
    weight: surveyed.weight,
    reasons: surveyed.reasons,
    spellings: surveyed.spellings,
    tag: formatTag(one, version),
    stream: { name: stream.name, type: stream.type, pointer: pointerOf(stream) },
    commit,
    source: commit,
    sourceTime,
    configDigest: workspace.configText === null ? null : sha256(workspace.configText),
    needs: survey.edges
      .filter(({ from, kind }) => from === index && kind !== 'development')
      .map(({ to }) => workspace.packages[to]?.name ?? ''),
    artifacts,
    program: {
      bevelstone: context.programVersion,
      node: process.versions.node,
      zlib: process.versions['zlib'] ?? '',
      arch: process.arch,
    },
  };
}

/** Puts the new folder in the old one's place; a reader sees one or the other. */
async function replaceFolder(fresh: string, final: string): Promise<void> {
  const old = `${final}.${process.pid}.old`;
  if (await exists(final)) await rename(final, old);
  await rename(fresh, final);
  await rm(old, { recursive: true, force: true });
}

function fileNameOf(name: string): string {
  return name.replace(/^@/, '').replaceAll('/', '-');
}

function sha256(text: string): string {
  return createHash('sha256').update(text).digest('hex');
}
