import path from 'node:path';
import { commonFolder } from '../../core/contents/entry.ts';
import { formDefinitions, isWholeArchive } from '../../core/form/definitions.ts';
import { fromSourceName } from '../../core/form/source-archive/from-source.ts';
import { parseFromSource } from '../../core/form/source-archive/parse-from-source.ts';
import { entriesIn } from '../../core/record/contents-list.ts';
import type { ArtifactRecord } from '../../core/record/release-record.ts';
import { archiveOrigin, sourceBlock } from '../../core/source/source-block.ts';
import { quoteShell } from '../../core/text/quote-shell.ts';
import { readArchive } from '../../world/archive/read-archive.ts';
import { digestIfThere } from '../../world/file-bytes.ts';
import { makeFolder } from '../../world/files.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import { runStep } from '../../world/step.ts';
import { buildFrom } from '../build/build-from.ts';
import { type Context, quietly } from '../context.ts';
import { type ReleaseFolder, requireContentsIn } from '../release-folder/built-release.ts';
import type { TrialStep } from './trial.ts';

/** How long a block may take. */
const blockMs = 60 * 60_000;

/** Where sources stand in a table of trials. */
const sourcesPlace = 'its sources';

/**
 * Builds a release from its own source archives, as others do who never see its repository: by the shell block in an empty HOME, which
 * has to install the files that the release's archive has, and by `build --from`, which has to give the same bytes.
 */
export async function trySources(context: Context, commonFolder: string, release: ReleaseFolder): Promise<TrialStep[]> {
  const archives = release.record.artifacts.filter(({ form }) => formDefinitions[form].isSource);
  const blank = { destination: sourcesPlace };
  if (archives.length === 0)
    return [
      { ...blank, client: 'sh', version: '', state: 'not-here', why: 'it has no artifact of the form source-archive' },
    ];
  const steps: TrialStep[] = [];
  for (const archive of archives) {
    const own = await makeOwnFolder(commonFolder, 'source-trial');
    try {
      const work = { release, archive, top: own.folder };
      const [byShell, byProgram] = [await tryBlock(context, work), await tryBuildFrom(context, work)];
      steps.push({ ...blank, client: 'sh', ...byShell }, { ...blank, client: 'build --from', ...byProgram });
    } finally {
      await own.remove();
    }
  }
  return steps;
}

type Work = { readonly release: ReleaseFolder; readonly archive: ArtifactRecord; readonly top: string };

/** `version` says what was compared. */
type Outcome = Pick<TrialStep, 'state' | 'why' | 'version'>;

async function tryBlock(context: Context, { release, archive, top }: Work): Promise<Outcome> {
  const file = path.join(release.folder, archive.file);
  const { kept, entries } = await readArchive(file, {
    wants: (inside) => path.posix.basename(inside) === fromSourceName,
  });
  const [text] = [...kept.values()];
  const { source } = parseFromSource(text?.toString('utf8') ?? '', fromSourceName);
  const fetch = `cp ${quoteShell(file)} ${quoteShell(archive.file)}`;
  const inside = commonFolder(entries).replace(/\/$/, '') || '.';
  const block = sourceBlock(source, archiveOrigin({ fetch, file: archive.file, sha256: archive.sha256, top: inside }));
  const [here, home, prefix] = ['here', 'home', 'installed'].map((name) => path.join(top, name)) as [
    string,
    string,
    string,
  ];
  for (const folder of [here, home]) await makeFolder(folder);
  const log = path.join(top, 'block.log');
  const env = { PATH: context.env['PATH'] ?? '', HOME: home, PREFIX: prefix };
  const end = await runStep({ run: block, folder: here, env, log, signal: context.signal, timeoutMs: blockMs });
  if (end.exitCode !== 0) return failed(`the block ended with ${end.exitCode}: ${end.tail.slice(-8).join('\n')}`);
  return compareInstalled(release, prefix);
}

/** Whether what a block installed is what the release's first archive with `files` has. */
async function compareInstalled({ folder, record }: ReleaseFolder, prefix: string): Promise<Outcome> {
  const artifact = record.artifacts.find(isWholeArchive);
  if (artifact === undefined)
    return { state: 'unpacked', why: 'the release has no archive of files', version: 'not compared' };
  const entries = entriesIn(await requireContentsIn(folder), artifact.file) ?? [];
  const top = commonFolder(entries);
  let same = 0;
  for (const { path: inside, type, sha256 } of entries) {
    if (type !== 'file') continue;
    const digest = await digestIfThere(path.join(prefix, inside.slice(top.length)));
    // What only a release has is left out of a block, which says so.
    if (digest === null) continue;
    if (digest !== sha256) return failed(`${inside} of ${artifact.file} came out otherwise`);
    same++;
  }
  if (same === 0) return failed(`nothing of ${artifact.file} was installed`);
  return { state: 'installed', why: null, version: `${same} files the same` };
}

async function tryBuildFrom(context: Context, { release, archive, top }: Work): Promise<Outcome> {
  const options = {
    source: path.join(release.folder, archive.file),
    sha256: archive.sha256,
    to: path.join(top, 'built'),
    platforms: [],
  };
  const { release: built } = await buildFrom(quietly(context), options, async () => {});
  const made = new Map(built.artifacts.map(({ file, sha256 }) => [file, sha256]));
  const wanted = release.record.artifacts.filter(({ file }) => made.has(file));
  const other = wanted.find(({ file, sha256 }) => made.get(file) !== sha256);
  if (other !== undefined) return failed(`${other.file} has other bytes than the release`);
  if (wanted.length === 0)
    return { state: 'unpacked', why: 'it makes no artifact of the release here', version: 'not compared' };
  return {
    state: 'installed',
    why: null,
    version: wanted.length === 1 ? 'same bytes' : `${wanted.length} files of the same bytes`,
  };
}

function failed(why: string): Outcome {
  return { state: 'failed', why, version: '' };
}
