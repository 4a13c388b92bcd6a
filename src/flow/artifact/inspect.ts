import path from 'node:path';
import { type LeftBehind, listLeftBehind } from '../../core/contents/left-behind.ts';
import { type FilePick, pickFiles } from '../../core/contents/picks.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { insidePaths } from '../../core/form/artifact.ts';
import { formDefinitions } from '../../core/form/definitions.ts';
import type { Form } from '../../core/name/form.ts';
import { extractArchive } from '../../world/archive/extract.ts';
import { readEntry } from '../../world/archive/read-entry.ts';
import { listFilesAt } from '../../world/git/read-objects.ts';
import { resolveCommit } from '../../world/git/repository.ts';
import type { Context } from '../context.ts';
import { type ReadArtifact, readArtifact } from '../read/read-artifact.ts';
import { type ReleaseFolder, readRecordBeside } from '../release-folder/built-release.ts';
import { useLimitsOf } from '../workspace/limits.ts';
import { openContext, readWorkspace } from '../workspace/workspace.ts';
import { type ArtifactComparison, compareArtifacts, compareWithLast } from './compare-artifacts.ts';

/** Contents of an artifact, and the other requested parts; null for parts that were not requested. */
export type Inspection = {
  readonly file: string;
  readonly artifact: ReadArtifact;
  readonly comparison: ArtifactComparison | null;
  readonly picks: readonly FilePick[] | null;
  readonly leftBehind: readonly LeftBehind[] | null;
  readonly extracted: { readonly folder: string; readonly files: number } | null;
  readonly printed: { readonly path: string; readonly bytes: Buffer } | null;
};

/** What `inspect` may be asked beside the plain list. */
export type InspectOptions = {
  readonly file: string;
  /** Another artifact, or `last` for the last release in the ledger. */
  readonly against: string | null;
  readonly picks: boolean;
  readonly leftBehind: boolean;
  readonly print: string | null;
  readonly extract: string | null;
};

/** Opens an artifact of any origin. @throws like readArtifact, and what the questions asked beside may throw. */
export async function inspectFile(context: Context, options: InspectOptions): Promise<Inspection> {
  const file = path.resolve(context.folder, options.file);
  await useLimitsOf(context);
  const artifact = await readArtifact(file);
  const { against, print, extract } = options;
  const folder = extract === null ? null : path.resolve(context.folder, extract);
  return {
    file: options.file,
    artifact,
    comparison: against === null ? null : await compare(context, { file, artifact, against }),
    picks: options.picks ? picksOf(artifact, options.file) : null,
    leftBehind: options.leftBehind ? await leftBehindOf(context, file, artifact) : null,
    extracted: folder === null ? null : { folder, files: (await extractArchive(file, folder)).length },
    printed: print === null ? null : { path: print, bytes: await readEntry(file, print) },
  };
}

async function compare(
  context: Context,
  { file, artifact, against }: { readonly file: string; readonly artifact: ReadArtifact; readonly against: string },
): Promise<ArtifactComparison> {
  if (against === 'last') return compareWithLast(context, file, artifact);
  const other = path.resolve(context.folder, against);
  return compareArtifacts(against, await readArtifact(other), artifact);
}

/** @throws USAGE for a form that has no entry points of this kind. */
function picksOf(artifact: ReadArtifact, file: string): FilePick[] {
  const { form, manifest } = artifact;
  if (formDefinitions[form].hasNodeEntries && manifest !== null) return pickFiles(manifest.json, insidePaths(artifact));
  throw new BevelstoneError('USAGE', {
    message: `${file} has no picks`,
    why: `only npm tarballs give different files to different consumers; this is a ${form}`,
    fix: 'Omit --picks',
  });
}

/** Files of the package that are not in an artifact which was built here. @throws RELEASE_NOT_BUILT for one from elsewhere. */
async function leftBehindOf(context: Context, file: string, { form, manifest }: ReadArtifact): Promise<LeftBehind[]> {
  const release = await readRecordBeside(file);
  if (release === null) throw notOurs(file);
  const { record, origins } = release;
  const repository = await openContext(context);
  await resolveCommit(repository.place, record.commit);
  const workspace = await readWorkspace(context, { repository, commit: record.commit, source: 'commit' });
  const item = workspace.packages.find(({ name }) => name === record.package);
  const folder = record.folder === '.' ? '' : record.folder;
  const tracked = [...(await listFilesAt(repository.place, record.commit, folder)).keys()];
  const { reasonLeftOut, listedFiles } = formDefinitions[form];
  const position = record.artifacts.findIndex((artifact) => artifact.file === path.basename(file));
  const config = item?.config.artifacts.filter((found) => found.form === form && found['only-new-after'] === null)[
    sameFormBefore(release, position, form)
  ];
  return listLeftBehind({
    tracked: tracked.map((name) => (folder === '' ? name : name.slice(folder.length + 1))),
    origins,
    folder,
    rules: config?.files ?? null,
    formReason: reasonLeftOut(listedFiles(manifest?.json ?? {}) !== null),
  });
}

/** How many artifacts of the same form the release lists before this one: its place among the configured ones. */
function sameFormBefore({ record }: ReleaseFolder, position: number, form: Form): number {
  return record.artifacts.slice(0, Math.max(0, position)).filter((artifact) => artifact.form === form).length;
}

function notOurs(file: string): BevelstoneError {
  return new BevelstoneError('RELEASE_NOT_BUILT', {
    message: `the package of ${path.basename(file)} is unknown`,
    why: 'there is no release.json next to it that lists this file',
    fix: 'Give an artifact in the output folder of this workspace',
    where: { file },
  });
}
