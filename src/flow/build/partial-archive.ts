import path from 'node:path';
import { commonFolder } from '../../core/contents/entry.ts';
import { formDefinitions } from '../../core/form/definitions.ts';
import { normalFolder, packagesByPath } from '../../core/history/touch.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import type { Form } from '../../core/name/form.ts';
import { type ChangeCommit, type PartialSelection, selectPartial } from '../../core/partial/select-partial.ts';
import type { ListedEntry } from '../../core/record/contents-list.ts';
import { formatPartialRecord, type PartialRecord, partialName } from '../../core/record/partial-record.ts';
import type { ArtifactRecord } from '../../core/record/release-record.ts';
import { extractArchive } from '../../world/archive/extract.ts';
import type { WrittenArchive } from '../../world/archive/output-file.ts';
import type { PackInput } from '../../world/archive/pack-input.ts';
import { readArchive } from '../../world/archive/read-archive.ts';
import { writeTarGz } from '../../world/archive/write-tar.ts';
import { sizeOf } from '../../world/files.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import { readContentsList } from '../ledger-record/last-artifact.ts';
import type { Workspace } from '../workspace/workspace.ts';

/** The whole archive that a partial artifact is taken from, as it was built, and the one of its base. */
export type PartialSource = {
  readonly workspace: Workspace;
  readonly package: string;
  readonly version: string;
  readonly commit: string;
  readonly base: LedgerRelease;
  /** The archive of the base, by its record. */
  readonly before: ArtifactRecord;
  readonly after: ArtifactRecord;
  /** What is in the archive that was built, the folder that everything lies in included. */
  readonly entries: readonly ListedEntry[];
  /** Commits between the base and what was built. */
  readonly commits: readonly ChangeCommit[];
};

/** What else goes in, or stays out: paths inside the release. */
export type ByHand = {
  readonly add: readonly string[];
  readonly leaveOut: readonly string[];
};

/** What a partial artifact is to have; its record has no name yet. */
export type PlannedPartial = {
  readonly record: Omit<PartialRecord, 'file'>;
  readonly selection: PartialSelection;
  /** Every path that the release or its base has. */
  readonly known: ReadonlySet<string>;
};

/**
 * Selects what comes from the selected commits.
 * @param byHand null for everything that is new, whatever it comes from.
 * @throws LEDGER_DAMAGED when the contents list of the base is not there.
 */
export async function planPartial(source: PartialSource, byHand: ByHand | null): Promise<PlannedPartial> {
  const { workspace, base, commits } = source;
  const { repository, packages } = workspace;
  const recorded = await readContentsList(repository, base);
  const before = filesOf(
    recorded.artifacts.find(({ file }) => file === source.before.file)?.entries ?? [],
    source.before.form,
  );
  const after = filesOf(source.entries, source.after.form);
  const known = new Set([...before, ...after].map((entry) => entry.path));
  const index = packages.findIndex(({ name }) => name === source.package);
  const byPath = packagesByPath(
    packages.map(({ folder, config }) => ({ folder: normalFolder(folder), also: config.also })),
  );
  const selection = selectPartial({
    before,
    after,
    commits,
    isOwn: (file) => byPath(file).includes(index),
    add: byHand === null ? known : new Set(byHand.add),
    leaveOut: new Set(byHand?.leaveOut),
  });
  const used = new Set([...selection.entries, ...selection.removed].flatMap((entry) => entry.commits));
  const usedCommits = commits.filter(({ id }) => used.has(id));
  const record = {
    package: source.package,
    version: source.version,
    commit: source.commit,
    base: { version: base.version, commit: base.commit, artifact: source.before.file, sha256: source.before.sha256 },
    entries: selection.entries,
    removed: selection.removed,
    issues: [...new Set(usedCommits.flatMap((commit) => commit.issues))].sort(),
    commits: usedCommits.map(({ id }) => id),
    addedByHand: byHand?.add ?? [],
    leftOutByHand: byHand?.leaveOut ?? [],
  };
  return { record, selection, known };
}

/** Entries of an artifact without the one folder that they lie in. */
function filesOf(all: readonly ListedEntry[], form: Form): ListedEntry[] {
  const files = all.filter(({ type }) => type !== 'folder');
  const { length } = topOf(files, form);
  return files.map((entry) => ({ ...entry, path: entry.path.slice(length) }));
}

/** The folder that everything lies in, where the form has one. */
function topOf(entries: readonly { readonly path: string }[], form: Form): string {
  return formDefinitions[form].entries.hasTopFolder ? commonFolder(entries) : '';
}

/** Packs the selected entries of a whole archive, with the record of what they are. */
export async function writePartial(
  { workspace, after, entries }: PartialSource,
  {
    record,
    archive,
    time,
    target,
  }: {
    readonly record: PartialRecord;
    /** Path of the whole archive. */
    readonly archive: string;
    readonly time: number;
    readonly target: string;
  },
): Promise<WrittenArchive> {
  const own = await makeOwnFolder(workspace.repository.commonFolder, 'partial');
  try {
    const folder = path.join(own.folder, 'release');
    await extractArchive(archive, folder);
    const read = (await readArchive(archive)).entries.filter(({ type }) => type === 'file' || type === 'symlink');
    const top = topOf(read, after.form);
    const wanted = new Set(record.entries.map((entry) => entry.path));
    const origins = new Map(entries.map((entry) => [entry.path, entry.origin]));
    const inputs: PackInput[] = [];
    for (const { path: full, type, mode, linkname } of read) {
      const inside = full.slice(top.length);
      if (!wanted.has(inside)) continue;
      const source = path.join(folder, full);
      const content =
        type === 'symlink'
          ? ({ type, linkname: linkname ?? '' } as const)
          : ({ type: 'file', file: source, sizeBytes: await sizeOf(source) } as const);
      inputs.push({ path: inside, mode, content, origin: origins.get(full) ?? { type: 'generated' } });
    }
    const about: PackInput = {
      path: partialName,
      mode: 0o644,
      content: { type: 'bytes', bytes: Buffer.from(formatPartialRecord(record)) },
      origin: { type: 'generated' },
    };
    return await writeTarGz(target, [about, ...inputs], { mtime: time, comment: record.commit });
  } finally {
    await own.remove();
  }
}
