import path from 'node:path';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { ContentsList } from '../../core/record/contents-list.ts';
import type { ArtifactRecord, ReleaseRecord } from '../../core/record/release-record.ts';
import { copyOneFile, readText, writeWhole } from '../../world/files.ts';
import { replaceFolder } from '../../world/fresh-folder.ts';
import { resolveCommit } from '../../world/git/repository.ts';
import { placeInside } from '../../world/place-inside.ts';
import type { Context } from '../context.ts';
import {
  builtFolder,
  type ReleaseFolder,
  readFolders,
  readReleaseFolder,
  requireContentsIn,
} from '../release-folder/built-release.ts';
import { parcelOf } from '../release-folder/parcel.ts';
import { sha256Text } from '../release-folder/release-sboms.ts';
import { openContext, readWorkspace } from '../workspace/workspace.ts';
import type { Build } from './build.ts';
import type { BuiltRelease } from './build-package.ts';

/**
 * Joins what several machines built of one commit into the output folder, one release folder per package. Artifacts for every
 * platform must be there once, those for none must be the same everywhere.
 * @param folders output folders of other machines, or release folders.
 * @throws GATHER_DIFFERS when commits, versions, programs or contents disagree; RELEASE_NOT_BUILT, RELEASE_ALTERED.
 */
export async function gather(context: Context, folders: readonly string[]): Promise<Build> {
  const repository = await openContext(context);
  const found = await readAll(context, folders);
  const names = [...new Set(found.map(({ record }) => record.package))];
  const [first] = found;
  if (first === undefined) throw nothing(folders);
  await resolveCommit(repository.place, first.record.commit);
  const { config } = await readWorkspace(context, { repository, commit: first.record.commit, source: 'commit' });
  const output = await placeInside(repository.root, config.output, '`output`');
  const releases: BuiltRelease[] = [];
  for (const name of names) {
    const parts = found.filter(({ record }) => record.package === name);
    refuseDifferent(first.record, parts);
    releases.push(await join(parts, { output, commonFolder: repository.commonFolder }));
    context.report({ type: 'finished', what: `gather ${name}`, detail: `${parts.length} parts` });
  }
  return { commit: first.record.commit, dirty: false, releases, resting: [], twice: null, selections: null };
}

async function readAll(context: Context, folders: readonly string[]): Promise<ReleaseFolder[]> {
  const found: ReleaseFolder[] = [];
  for (const folder of folders) {
    const place = path.resolve(context.folder, folder);
    const item = await readReleaseFolder(place);
    const own = item === null ? await readFolders(place) : [item];
    if (own.length === 0) throw nothing([folder]);
    // Every file is what its record says, before anything is joined.
    for (const release of own) for (const artifact of release.record.artifacts) await parcelOf(release, artifact);
    found.push(...own);
  }
  return found;
}

function refuseDifferent(first: ReleaseRecord, parts: readonly ReleaseFolder[]): void {
  const [value] = parts;
  if (value === undefined) return;
  const facts: [string, (record: ReleaseRecord) => string][] = [
    ['version', (record) => record.version],
    ['configuration', (record) => record.configDigest ?? 'none'],
    ['version of Bevelstone', (record) => record.program.bevelstone],
    ['zlib', (record) => record.program.zlib],
  ];
  for (const { folder, record } of parts) {
    if (record.commit !== first.commit)
      throw differs({ folder, what: 'commit', found: record.commit, wanted: first.commit });
    if (record.uncommitted)
      throw differs({ folder, what: 'source', found: 'files that no commit holds', wanted: 'a commit' });
    for (const [what, of] of facts)
      if (of(record) !== of(value.record)) throw differs({ folder, what, found: of(record), wanted: of(value.record) });
  }
  const byFile = new Map<string, { readonly artifact: ArtifactRecord; readonly folder: string }>();
  for (const { folder, record } of parts) {
    for (const artifact of record.artifacts) {
      const before = byFile.get(artifact.file);
      byFile.set(artifact.file, before ?? { artifact, folder });
      if (before === undefined) continue;
      if (artifact.platform !== null && before.artifact.sha256 !== artifact.sha256)
        throw differs({
          folder,
          what: artifact.file,
          found: `another build for ${artifact.platform}`,
          wanted: `the one in ${before.folder}`,
        });
      if (before.artifact.contentDigest !== artifact.contentDigest)
        throw differs({
          folder,
          what: `the contents of ${artifact.file}`,
          found: artifact.contentDigest,
          wanted: before.artifact.contentDigest,
        });
    }
  }
}

async function join(
  parts: readonly ReleaseFolder[],
  { output, commonFolder }: { readonly output: string; readonly commonFolder: string },
): Promise<BuiltRelease> {
  const [first] = parts;
  if (first === undefined) throw new Error('there is nothing to join');
  const final = builtFolder(output, first.record);
  return replaceFolder(commonFolder, final, async (fresh) => {
    const artifacts = new Map<string, ArtifactRecord>();
    const contents: ContentsList['artifacts'][number][] = [];
    for (const { folder, record } of parts) {
      const list = await requireContentsIn(folder);
      for (const artifact of record.artifacts) {
        if (artifacts.has(artifact.file)) continue;
        artifacts.set(artifact.file, artifact);
        await copyOneFile(path.join(folder, artifact.file), path.join(fresh, artifact.file));
        contents.push(...list.artifacts.filter(({ file }) => file === artifact.file));
      }
    }
    const shared = await requireContentsIn(first.folder);
    const all = [...artifacts.values()];
    const pending = first.record.pending.filter(({ form, platform }) =>
      parts.every(({ record }) =>
        record.pending.some(
          (pendingArtifact) => pendingArtifact.form === form && pendingArtifact.platform === platform,
        ),
      ),
    );
    const record: ReleaseRecord = { ...first.record, artifacts: all, sboms: [], pending };
    const texts = [
      ['CONTENTS.json', `${JSON.stringify({ ...shared, artifacts: contents }, null, 2)}\n`],
      ['release.json', `${JSON.stringify(record, null, 2)}\n`],
      ['NOTES.md', await readText(path.join(first.folder, 'NOTES.md'))],
    ] as const;
    for (const [name, text] of texts) await writeWhole(path.join(fresh, name), text);
    const sums = [
      ...all.map(({ file, sha256 }) => `${sha256}  ${file}\n`),
      ...texts.map(([name, text]) => `${sha256Text(text)}  ${name}\n`),
    ];
    await writeWhole(path.join(fresh, 'SHA256SUMS'), sums.join(''));
    return { package: record.package, version: record.version, folder: final, artifacts: all, pending };
  });
}

function differs({
  folder,
  what,
  found,
  wanted,
}: {
  readonly folder: string;
  readonly what: string;
  readonly found: string;
  readonly wanted: string;
}): BevelstoneError {
  return new BevelstoneError('GATHER_DIFFERS', {
    message: `${folder} is from a different build`,
    why: `${what} is ${found}; the others have ${wanted}`,
    fix: 'Build all parts at the same commit, with the same Bevelstone and Node: bevelstone build --at COMMIT --platform P',
    where: { file: folder },
  });
}

function nothing(folders: readonly string[]): BevelstoneError {
  return new BevelstoneError('RELEASE_NOT_BUILT', {
    message: `no release found in ${folders.join(', ') || 'the given folders'}`,
    why: 'none of the folders contains a release.json',
    fix: 'Give the output folders of the other machines, or release folders in them',
  });
}
