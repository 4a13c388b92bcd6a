import path from 'node:path';
import type { InputConfig, PackageConfig } from '../../core/config/config.ts';
import { commonFolder } from '../../core/contents/entry.ts';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { inputFileName } from '../../core/input/input-address.ts';
import { patchFiles } from '../../core/input/patch-files.ts';
import { unpackInput } from '../../world/archive/unpack-input.ts';
import { copyOneFile, isFolder, makeFolder, namesBelow, readSmallFile } from '../../world/files.ts';
import { applyPatch } from '../../world/git/apply-patch.ts';
import type { Repository } from '../../world/git/repository.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import { listFiles } from '../../world/list-files.ts';
import { mergeFolder, setTimes } from '../../world/merge-folder.ts';
import { placeInside } from '../../world/place-inside.ts';
import { type Context, during, warn } from '../context.ts';
import { type AppliedPatch, describePatch } from './applied-patch.ts';
import { type FetchedInput, fetchInput, type InputPlace } from './fetch-input.ts';

/** An input whose contents are in the package's folder. */
export type LaidInput = {
  readonly config: InputConfig;
  readonly patches: readonly AppliedPatch[];
  /** Files that it brought, inside the package's folder. */
  readonly files: readonly string[];
};

/** A package in a checkout that gets its inputs. */
export type InputJob = {
  readonly repository: Repository;
  readonly package: string;
  readonly config: Pick<PackageConfig, 'inputs' | 'patches'>;
  /** Absolute path of its folder. */
  readonly folder: string;
  /** Seconds since 1970; the time of every file. */
  readonly time: number;
};

/** Fetches, unpacks and patches every input of a package, in their order. @throws what `fetchInput` does, INPUT_LAYOUT, PATCH_FAILED */
export async function layInputs(context: Context, job: InputJob): Promise<LaidInput[]> {
  const { config, folder } = job;
  const laid: LaidInput[] = [];
  for (const input of config.inputs) {
    const place: InputPlace = { repository: job.repository, package: job.package, input, folder };
    const fetched = await fetchInput(context, place);
    if (fetched.signature.type === 'not-checked' && input.signature !== null)
      warn(context, `${job.package}: the signature of ${input.name} was not checked: ${fetched.signature.why}`);
    const before = new Set((await listFiles(folder)).map((file) => file.path));
    await layOne(job, { input, fetched });
    const patches = await patchesFor(job, input);
    for (const patch of patches) await applyOne(context, { job, input, patch, applied: patches.indexOf(patch) });
    const files = (await listFiles(folder)).map((file) => file.path).filter((file) => !before.has(file));
    laid.push({ config: input, patches, files });
  }
  return laid;
}

/** Unpacks one input without its patches into its place. @throws INPUT_LAYOUT */
export async function layOne(
  job: InputJob,
  { input, fetched }: { readonly input: InputConfig; readonly fetched: Pick<FetchedInput, 'file'> },
): Promise<void> {
  const own = await makeOwnFolder(job.repository.commonFolder, 'input');
  try {
    const unpacked = path.join(own.folder, 'unpacked');
    await unpack({ file: fetched.file, unpacked, scratch: own.folder, input });
    // git would follow its settings, wherever steps or `inputs edit` start it.
    const inner = (await namesBelow(unpacked)).find((name) => name.split('/').some((part) => /^\.git$/i.test(part)));
    if (inner !== undefined) throw layout(job, input, `it has ${inner}, a repository of its own`);
    const from = input['drop-top'] ? path.join(unpacked, await topOf(unpacked, job, input)) : unpacked;
    await setTimes(from, job.time);
    const to = await placeInside(job.folder, input.into, `\`into\` of ${input.name}`);
    const taken = await mergeFolder(from, to);
    if (taken !== null)
      throw layout(job, input, `${path.relative(job.folder, taken)} is there already, and nothing is replaced`);
  } finally {
    await own.remove();
  }
}

/** Where the contents of an input lie inside the package's folder: '' for the folder itself. */
export function placeOf({ into }: Pick<InputConfig, 'into'>): string {
  const place = path.posix.normalize(into).replace(/\/$/, '');
  return place === '.' ? '' : place;
}

/** Archives that are used as they are. */
const kept = /\.(?:jar|war|ear|whl|nupkg|deb|pom|xml)$/i;

async function unpack({
  file,
  unpacked,
  scratch,
  input,
}: {
  readonly file: string;
  readonly unpacked: string;
  readonly scratch: string;
  readonly input: InputConfig;
}): Promise<void> {
  const name = inputFileName(input);
  if (!kept.test(name)) {
    try {
      return await unpackInput(file, unpacked, scratch);
    } catch (error) {
      if (!isBevelstoneError(error, 'ARCHIVE_UNKNOWN')) throw renamed(error, file, name);
    }
  }
  if (/\.(?:tar|tgz|tar\.\w+|t[bx]z2?|zip|7z|rar|bz2|zst)$/i.test(name)) throw notRead(input, name);
  await makeFolder(unpacked);
  await copyOneFile(file, path.join(unpacked, name));
}

/** Errors about a file of the cache speak of what it is called where it comes from. */
function renamed(error: unknown, file: string, name: string): unknown {
  if (!isBevelstoneError(error)) return error;
  const plain = (text: string) => text.replaceAll(file, name).replaceAll(path.basename(file), name);
  return new BevelstoneError(error.code, {
    message: plain(error.message),
    why: plain(error.why),
    fix: plain(error.fix),
    where: { file: 'bevelstone.yaml' },
    cause: error,
  });
}

async function topOf(unpacked: string, job: InputJob, input: InputConfig): Promise<string> {
  const top = commonFolder(await listFiles(unpacked));
  if (top === '') throw layout(job, input, 'not everything in the archive lies in one folder; remove `drop-top`');
  return top;
}

/** The patches of an input in the order of their names; a list of several keeps its own order. */
export async function patchesFor(job: InputJob, input: InputConfig): Promise<AppliedPatch[]> {
  if (job.config.patches.length === 0) return [];
  const all = (await listFiles(job.folder)).map((file) => file.path);
  const { found, missing } = patchFiles(job.config, input, all);
  if (missing[0] !== undefined) throw noPatch(job, missing[0]);
  return Promise.all(found.map((file) => readPatch(job.folder, file)));
}

async function readPatch(folder: string, file: string): Promise<AppliedPatch> {
  return describePatch(file, await readSmallFile(await placeInside(folder, file, 'a patch')));
}

async function applyOne(
  context: Context,
  {
    job,
    input,
    patch,
    applied,
  }: {
    readonly job: InputJob;
    readonly input: InputConfig;
    readonly patch: AppliedPatch;
    /** How many came before it. */
    readonly applied: number;
  },
): Promise<void> {
  const target = path.join(job.folder, placeOf(input));
  if (!(await isFolder(target))) throw layout(job, input, 'it brought no folder that could be patched');
  await during(context, `patch ${input.name} for ${job.package} with ${path.posix.basename(patch.file)}`, async () => {
    const why = await applyPatch(target, path.join(job.folder, patch.file), context);
    if (why === null) return;
    const before = applied === 0 ? 'It is the first.' : `${applied} before it did.`;
    throw new BevelstoneError('PATCH_FAILED', {
      message: `${job.package}: ${patch.file} does not apply to ${input.name}`,
      why: `${why.split('\n').slice(-6).join('\n')}\n${before}`,
      fix: `Correct the patch; to have the patched sources under git: bevelstone inputs edit ${input.name}`,
      where: { file: patch.file },
    });
  });
}

function noPatch({ package: pkg }: InputJob, file: string): BevelstoneError {
  return new BevelstoneError('PATCH_FAILED', {
    message: `${pkg}: there is no patch ${file}`,
    why: '`patches` names it, and the commit has no such file',
    fix: 'Correct the path, or commit the patch',
    where: { file: 'bevelstone.yaml' },
  });
}

function layout({ package: pkg }: InputJob, input: InputConfig, why: string): BevelstoneError {
  return new BevelstoneError('INPUT_LAYOUT', {
    message: `${pkg}: the input ${input.name} does not fit where it should go`,
    why,
    fix: 'Correct `into` or `drop-top` of the input',
    where: { file: 'bevelstone.yaml' },
  });
}

function notRead(input: InputConfig, name: string): BevelstoneError {
  return new BevelstoneError('INPUT_LAYOUT', {
    message: `the input ${input.name} cannot be unpacked`,
    why: `${name} is no archive that is read here: .tar, .tar.gz, .tar.xz and .zip are`,
    fix: 'Use one of these, or unpack it in a build step of its own under a name without that ending',
    where: { file: 'bevelstone.yaml' },
  });
}
