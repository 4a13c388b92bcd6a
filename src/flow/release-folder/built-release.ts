import path from 'node:path';
import type { Origin } from '../../core/contents/entry.ts';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { fileNameOf } from '../../core/form/placeholder.ts';
import { type ContentsList, parseContentsList } from '../../core/record/contents-list.ts';
import { type ParsedRecord, whyUnreadable } from '../../core/record/parse-record.ts';
import { parseReleaseRecord, type ReleaseRecord } from '../../core/record/release-record.ts';
import { compareVersions } from '../../core/version/version.ts';
import { namesIn, readText, readTextIfThere } from '../../world/files.ts';
import type { Repository } from '../../world/git/repository.ts';
import { placeInside } from '../../world/place-inside.ts';
import { type Context, warn } from '../context.ts';
import { selectPackages, type Workspace } from '../workspace/workspace.ts';

/** A release folder as `build` left it. */
export type ReleaseFolder = { readonly folder: string; readonly record: ReleaseRecord };

/** Folder of a release below an output folder. */
export function builtFolder(
  output: string,
  { package: name, version }: Pick<ReleaseRecord, 'package' | 'version'>,
): string {
  return path.join(output, `${fileNameOf(name)}-${version}`);
}

/**
 * The newest built release of each package asked for that was built from this commit.
 * @throws RELEASE_NOT_BUILT when there is none.
 */
export async function builtReleases(context: Context, workspace: Workspace, commit: string): Promise<ReleaseFolder[]> {
  const { found, all } = await releasesIn(context, workspace, {
    folder: await placeInside(workspace.repository.root, workspace.config.output, '`output`'),
    isMeant: (record) => record.commit === commit,
  });
  if (found.length > 0) return found;
  throw new BevelstoneError('RELEASE_NOT_BUILT', {
    message: `nothing is built for ${commit.slice(0, 7)}`,
    why:
      all.length === 0
        ? `${workspace.config.output}/ contains no release`
        : `the releases in ${workspace.config.output}/ were built from other commits or for other packages`,
    fix: 'Run: bevelstone build',
  });
}

/**
 * The same, or else what the last dry run or refused release of this commit built.
 * @throws RELEASE_NOT_BUILT when there is neither.
 */
export async function builtOrUnreleased(
  context: Context,
  workspace: Workspace,
  commit: string,
): Promise<ReleaseFolder[]> {
  try {
    return await builtReleases(context, workspace, commit);
  } catch (error) {
    if (!isBevelstoneError(error, 'RELEASE_NOT_BUILT')) throw error;
    const { found } = await releasesIn(context, workspace, {
      folder: unreleasedFolder(workspace.repository),
      isMeant: (record) => record.source === commit,
    });
    if (found.length === 0) throw error;
    context.report({ type: 'note', text: 'these artifacts are those of the last `bevelstone release` that stopped' });
    return found;
  }
}

/** Where the artifacts of the last dry run, or of the last release that was refused, are kept for `verify`. */
export function unreleasedFolder({ commonFolder }: Repository): string {
  return path.join(commonFolder, 'bevelstone', 'unreleased');
}

type Wanted = { readonly folder: string; readonly isMeant: (record: ReleaseRecord) => boolean };

/** The newest of those that are meant, for each package asked for; and all in the folder. */
async function releasesIn(
  context: Context,
  workspace: Workspace,
  { folder, isMeant }: Wanted,
): Promise<{ readonly found: ReleaseFolder[]; readonly all: readonly ReleaseFolder[] }> {
  const selected = selectPackages(workspace.packages, context.packages);
  const wanted = new Set(
    workspace.packages.filter((_, index) => selected === null || selected.has(index)).map(({ name }) => name),
  );
  const all = await readableFolders(context, folder, wanted);
  const here = all.filter(({ record }) => isMeant(record) && wanted.has(record.package));
  const newest = new Map<string, ReleaseFolder>();
  for (const releaseFolder of here) {
    const other = newest.get(releaseFolder.record.package);
    if (other === undefined || compareVersions(releaseFolder.record.version, other.record.version) > 0)
      newest.set(releaseFolder.record.package, releaseFolder);
  }
  return { found: [...newest.values()], all };
}

/** The release that a file in an output folder belongs to, with the origins of its entries; null for any other file. */
export async function readRecordBeside(
  file: string,
): Promise<(ReleaseFolder & { readonly origins: readonly Origin[] }) | null> {
  const folder = path.dirname(file);
  const record = await readRecord(path.join(folder, 'release.json'));
  if (record === null || !record.artifacts.some((artifact) => artifact.file === path.basename(file))) return null;
  const list = await readContentsIn(folder);
  const entries = list?.artifacts.find((artifact) => artifact.file === path.basename(file))?.entries ?? [];
  return { folder, record, origins: entries.map(({ origin }) => origin) };
}

/** Text of the contents list in a release folder. */
export async function contentsTextIn(folder: string): Promise<string> {
  return readText(contentsPlace(folder));
}

/** The contents list in a release folder; null when there is none. @throws RELEASE_ALTERED when it cannot be read. */
export async function readContentsIn(folder: string): Promise<ContentsList | null> {
  const text = await readTextIfThere(contentsPlace(folder));
  return text === null ? null : usable(parseContentsList(text), contentsPlace(folder));
}

/** The contents list in a folder that `build` wrote. @throws RELEASE_ALTERED when it is gone. */
export async function requireContentsIn(folder: string): Promise<ContentsList> {
  const list = await readContentsIn(folder);
  if (list === null) throw alteredArtifact(contentsPlace(folder));
  return list;
}

function contentsPlace(folder: string): string {
  return path.join(folder, 'CONTENTS.json');
}

/** Every release in an output folder. @throws RELEASE_ALTERED */
export async function readFolders(out: string): Promise<ReleaseFolder[]> {
  const found = await Promise.all((await releasePlaces(out)).map(readReleaseFolder));
  return found.filter((item) => item !== null);
}

/** The release in one folder; null when `build` did not write it. @throws RELEASE_ALTERED */
export async function readReleaseFolder(folder: string): Promise<ReleaseFolder | null> {
  const record = await readRecord(path.join(folder, 'release.json'));
  return record === null ? null : { folder, record };
}

/**
 * Every release in an output folder that can be read; the others are warnings.
 * @param needed packages that nothing may be missing of.
 * @throws RELEASE_ALTERED when a folder of one of them cannot be read.
 */
export async function readableFolders(
  context: Context,
  out: string,
  needed: ReadonlySet<string> = new Set(),
): Promise<ReleaseFolder[]> {
  const found: ReleaseFolder[] = [];
  for (const folder of await releasePlaces(out)) {
    try {
      const item = await readReleaseFolder(folder);
      if (item !== null) found.push(item);
    } catch (error) {
      if (!isBevelstoneError(error, 'RELEASE_ALTERED') || isOfOne(folder, needed)) throw error;
      warn(context, `${error.message} and was skipped: ${error.why}`);
    }
  }
  return found;
}

/** Whether a folder has the name of a release of one of the packages: its record cannot say. */
function isOfOne(folder: string, names: ReadonlySet<string>): boolean {
  return [...names].some((name) => path.basename(folder).startsWith(`${fileNameOf(name)}-`));
}

async function releasePlaces(out: string): Promise<string[]> {
  const names = await namesIn(out);
  return names.filter((name) => !/\.(?:tmp|old)$/.test(name)).map((name) => path.join(out, name));
}

async function readRecord(file: string): Promise<ReleaseRecord | null> {
  const text = await readTextIfThere(file);
  return text === null ? null : usable(parseReleaseRecord(text), file);
}

/** The record that was read. @throws RELEASE_ALTERED with file and field when it is none. */
function usable<Value>(parsed: ParsedRecord<Value>, file: string): Value {
  if (parsed.type === 'record') return parsed.record;
  throw new BevelstoneError('RELEASE_ALTERED', {
    message: `${file} was changed after \`bevelstone build\``,
    why: whyUnreadable(parsed),
    fix: 'Build again; the folder is replaced',
    where: { file },
  });
}

/** The error for a file that is not the one that was recorded. */
export function alteredArtifact(file: string): BevelstoneError {
  return new BevelstoneError('RELEASE_ALTERED', {
    message: `${file} was changed after it was built`,
    why: 'its SHA-256 differs from the one in release.json',
    fix: 'Build again; the folder is replaced',
    where: { file },
  });
}
