import path from 'node:path';
import type { PackageConfig } from '../../core/config/config.ts';
import { outPrefix } from '../../core/contents/select.ts';
import { manifestFiles } from '../../core/ecosystem/definitions.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { FormInput } from '../../core/form/layout.ts';
import { fileNameOf } from '../../core/form/placeholder.ts';
import { type FromSource, fromSourceName } from '../../core/form/source-archive/from-source.ts';
import { parseFromSource } from '../../core/form/source-archive/parse-from-source.ts';
import type { PackageManifest } from '../../core/manifest/package-manifest.ts';
import type { ArtifactRecord } from '../../core/record/release-record.ts';
import { extractArchive } from '../../world/archive/extract.ts';
import { copyDigested, download, placeOnDisk } from '../../world/download.ts';
import {
  exists,
  listFolder,
  makeFolder,
  makeTemporaryFolder,
  moveFolder,
  readTextIfThere,
  removeFile,
  removeFolder,
  writeWhole,
} from '../../world/files.ts';
import { closeConnections } from '../../world/http.ts';
import { listFiles } from '../../world/list-files.ts';
import { placeInside, readInside } from '../../world/place-inside.ts';
import type { FoundTool } from '../../world/tool.ts';
import { type Context, countMoved, during, warn } from '../context.ts';
import { checkTools, refuseMissing } from '../workspace/tools.ts';
import { platformsHere } from './build.ts';
import { type BuiltRelease, madeHere, pendingOf } from './build-package.ts';
import { runSteps, stepRuns } from './build-steps.ts';
import { packArtifacts } from './pack-artifact.ts';

/** What is built from where. */
export type BuildFromOptions = {
  /** Path or address of a source archive. */
  readonly source: string;
  /** What its SHA-256 has to be; null for whatever it is. */
  readonly sha256: string | null;
  /** Folder for the result; null for `bevelstone-out` here. */
  readonly to: string | null;
  readonly platforms: readonly string[];
};

/** What is about to run, for the question. */
export type BuildFromPlan = {
  readonly source: string;
  readonly sha256: string;
  /** Whether that is the digest that was asked for. */
  readonly isExpected: boolean;
  readonly about: Pick<FromSource, 'package' | 'version' | 'commit' | 'steps' | 'tools'>;
};

/** The answer of `build --from`. */
export type BuiltFrom = {
  readonly source: string;
  readonly sha256: string;
  readonly commit: string;
  readonly release: BuiltRelease;
};

/**
 * Builds the artifacts of a release from its source archive alone: neither its repository nor git is needed.
 * @param agree gets what is about to run. @throws FROM_SOURCE_INVALID, INPUT_DIFFERS and what fetching, unpacking and steps may throw
 */
export async function buildFrom(
  context: Context,
  options: BuildFromOptions,
  agree: (plan: BuildFromPlan) => Promise<void>,
): Promise<BuiltFrom> {
  const temporary = await makeTemporaryFolder('bevelstone-from-');
  try {
    const file = path.join(temporary, 'sources.tar.gz');
    const sha256 = await fetchSources(context, options, file);
    const top = await unpackSources(file, path.join(temporary, 'sources'));
    const text = await readTextIfThere(path.join(top, fromSourceName));
    if (text === null) throw noStatement(options.source);
    const { source, config } = parseFromSource(text, fromSourceName);
    const { found, missing } = await checkTools(context, { destinations: {} }, [{ name: source.package, config }]);
    refuseMissing(missing);
    const target = path.resolve(context.folder, options.to ?? 'bevelstone-out', folderName(source));
    if (await exists(target)) throw alreadyThere(target);
    await agree({ source: options.source, sha256, isExpected: options.sha256 !== null, about: source });
    const job: FromJob = {
      ...{ context, source, config, top, temporary },
      tools: found.get(source.package) ?? [],
      platforms: platformsHere({ config }, options.platforms),
    };
    const release = await buildOne(job, target);
    return { source: options.source, sha256, commit: source.commit, release };
  } finally {
    await removeFolder(temporary);
    await closeConnections();
  }
}

type FromJob = {
  readonly context: Context;
  readonly source: FromSource;
  readonly config: PackageConfig;
  /** Absolute paths: the top of the sources, and a folder for everything else. */
  readonly top: string;
  readonly temporary: string;
  readonly tools: readonly FoundTool[];
  readonly platforms: readonly string[];
};

function folderName({ package: name, version }: FromSource): string {
  return `${fileNameOf(name)}-${version}`;
}

async function fetchSources(context: Context, { source, sha256 }: BuildFromOptions, file: string): Promise<string> {
  const isWeb = /^https?:\/\//.test(source);
  const what = `fetch ${source}`;
  const moved = countMoved(context, what, null);
  const found = await during(context, what, () =>
    isWeb
      ? download({ url: source, file, trusted: [], signal: context.signal, onBytes: moved })
      : copyDigested(placeOnDisk(context.folder, source), file),
  );
  if (sha256 === null || found.sha256 === sha256) return found.sha256;
  throw new BevelstoneError('INPUT_DIFFERS', {
    message: `${source} is not the archive that was asked for`,
    why: `its SHA-256 is ${found.sha256}, expected is ${sha256}`,
    fix: 'Find out why before you build it',
  });
}

/** @returns the folder that everything lies in: the one at the top, or the archive's own. */
async function unpackSources(file: string, folder: string): Promise<string> {
  await extractArchive(file, folder);
  const [first, second] = await listFolder(folder);
  return first !== undefined && second === undefined && first.isFolder ? path.join(folder, first.name) : folder;
}

async function buildOne(job: FromJob, target: string): Promise<BuiltRelease> {
  const { context, source, config, top, temporary, platforms } = job;
  const folder = await placeInside(top, source.folder, '`folder`');
  for (const name of source.made) await removeFile(await placeInside(top, name, '`made`'));
  const tracked = (await listFiles(folder)).map((file) => file.path);
  const [out, fresh, none] = ['out', 'fresh', 'none'].map((name) => path.join(temporary, name)) as [
    string,
    string,
    string,
  ];
  for (const made of [out, fresh, none]) await makeFolder(made);
  const place = {
    ...{ context, package: source.package, version: source.version, commit: source.commit, sourceTime: source.time },
    ...{ folder, out, logs: path.join(temporary, 'logs'), config, signal: context.signal },
    env: bareEnvironment(context),
    tools: job.tools,
    dependencies: { folder: none, folders: new Map<string, string>() },
  };
  await runSteps(place, stepRuns(config.build, platforms));
  const files = [
    ...(await listFiles(folder)),
    ...(await listFiles(out)).map((file) => ({ ...file, path: outPrefix + file.path })),
  ];
  const common = await commonInput(job, { folder, files, tracked: new Set(tracked) });
  const artifacts: ArtifactRecord[] = [];
  for (const { artifact, platform } of madeHere({ pkg: { config }, platforms })) {
    if (artifact.brought !== null) {
      warn(
        context,
        `not made: ${artifact.brought}, which a step brings as a finished artifact; take it from the steps' own folder`,
      );
      continue;
    }
    const packed = await packArtifacts(
      { ...common, artifact, platform },
      {
        locate: ({ path: file }) =>
          file.startsWith(outPrefix) ? path.join(out, file.slice(outPrefix.length)) : path.join(folder, file),
        originOf: () => ({ type: 'generated' }),
        target: fresh,
        progress: (of) => countMoved(context, `pack ${source.package}`, of),
      },
    );
    artifacts.push(...packed.map(({ record }) => record));
  }
  await writeWhole(
    path.join(fresh, 'SHA256SUMS'),
    artifacts.map(({ sha256, file }) => `${sha256}  ${file}\n`).join(''),
  );
  if (await exists(target)) throw alreadyThere(target);
  await moveFolder(fresh, target);
  const pending = pendingOf({ pkg: { config }, platforms });
  return { package: source.package, version: source.version, folder: target, artifacts, pending };
}

/** Steps of others see where programs and temporary files are, and nothing else: no configuration says what is secret. */
function bareEnvironment({ env }: Context): Record<string, string> {
  return Object.fromEntries(
    ['PATH', 'HOME', 'TMPDIR'].flatMap((name) => (env[name] === undefined ? [] : [[name, env[name]]])),
  );
}

async function commonInput(
  { context, source, top, platforms }: FromJob,
  {
    folder,
    files,
    tracked,
  }: { readonly folder: string; readonly files: FormInput['files']; readonly tracked: ReadonlySet<string> },
): Promise<Omit<FormInput, 'artifact' | 'platform'>> {
  const { release } = source;
  const manifest = await manifestOf(source, folder, top);
  return {
    packageName: source.package,
    manifest,
    manifestPath: release.manifest,
    version: source.version,
    stream: release.stream,
    platforms,
    commit: source.commit,
    sourceTime: source.time,
    supplier: release.supplier,
    notes: release.notes ?? emptyNotes(source),
    programVersion: release.program,
    files,
    tracked,
    isStamped: true,
    folder: source.folder,
    read: (file) => readInside(top, path.join(folder, file), file),
    readAbove: (file) => readInside(top, path.join(top, file), file),
    needsSbom: async () => {
      warn(
        context,
        `${source.package} is made without the SBOM that the release has in it: its lockfile is not in the archive`,
      );
      return null;
    },
    fromSource: () => source,
  };
}

async function manifestOf({ release }: FromSource, folder: string, top: string): Promise<PackageManifest | null> {
  if (release.manifest === null) return null;
  const name = path.posix.basename(release.manifest);
  const listed = manifestFiles.find(
    ({ file }) => file === name || (file.includes('{package}') && name.endsWith(file.replace('{package}', ''))),
  );
  const text = await readInside(top, path.join(folder, release.manifest), 'the manifest');
  return listed === undefined || text === null ? null : (await listed.load()).read(text, release.manifest);
}

function emptyNotes({ package: pkg, version, time }: FromSource): FormInput['notes'] {
  const date = new Date(time * 1000).toISOString().slice(0, 10);
  return { package: pkg, version, range: '', date, intro: null, sections: [], contributors: [] };
}

function noStatement(source: string): BevelstoneError {
  return new BevelstoneError('FROM_SOURCE_INVALID', {
    message: `${source} cannot be built from`,
    why: `there is no ${fromSourceName} at its top`,
    fix: 'Use a source archive that Bevelstone made (form `source-archive`), or build it by hand',
  });
}

function alreadyThere(folder: string): BevelstoneError {
  return new BevelstoneError('FILE_EXISTS', {
    message: `${folder} is there already`,
    why: 'nothing is replaced',
    fix: 'Remove it, or give another folder with --to',
    where: { file: folder },
  });
}
