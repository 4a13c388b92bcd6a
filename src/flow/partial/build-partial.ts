import { createHash } from 'node:crypto';
import path from 'node:path';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { isWholeArchive } from '../../core/form/definitions.ts';
import { fileNameOf } from '../../core/form/placeholder.ts';
import type { LedgerRelease } from '../../core/ledger/fold.ts';
import { earlierTwin } from '../../core/partial/earlier-twin.ts';
import type { PartialSelection } from '../../core/partial/select-partial.ts';
import { formatPartialRecord, type PartialRecord } from '../../core/record/partial-record.ts';
import type { ArtifactRecord } from '../../core/record/release-record.ts';
import { makeFolder, moveFolder, removeFile, writeWhole } from '../../world/files.ts';
import { currentBranch, remoteOf } from '../../world/git/repository.ts';
import { placeInside } from '../../world/place-inside.ts';
import { buildWorkspace, plainBuild } from '../build/build.ts';
import type { BuiltRelease } from '../build/build-package.ts';
import { readChangeCommits } from '../build/change-commits.ts';
import { planPartial, writePartial } from '../build/partial-archive.ts';
import { type Context, warn } from '../context.ts';
import { readLedger } from '../ledger-record/ledger.ts';
import { beginLedgerRun } from '../ledger-record/ledger-run.ts';
import { requireVouched, vouchedArtifacts } from '../ledger-record/vouched.ts';
import { readReleaseFolder, requireContentsIn } from '../release-folder/built-release.ts';
import { findRelease } from '../release-folder/recorded-release.ts';
import { openContext, readWorkspace, type Workspace } from '../workspace/workspace.ts';
import { isChangedBy, readChangedBy } from './read-changed-by.ts';

/** What a partial artifact is to hold. */
export type PartialOptions = {
  readonly changedBy: string;
  /** The commit to build; null for HEAD. */
  readonly at: string | null;
  /** Version of the release that it is to be put on; null for the last one on record. */
  readonly base: string | null;
  /** Paths inside the release that go in, or stay out, all the same. */
  readonly add: readonly string[];
  readonly leaveOut: readonly string[];
};

/** A partial artifact that was made. */
export type BuiltPartial = PartialRecord &
  Pick<PartialSelection, 'unselected'> & {
    /** Absolute path. */
    readonly place: string;
    readonly sizeBytes: number;
    readonly sha256: string;
  };

/** The answer of `build --changed-by`. */
export type PartialBuild = { readonly partials: readonly BuiltPartial[] };

/**
 * Builds the packages, and of each an archive with only the entries that come from the changes named. It says which release it
 * needs, what it replaces there and what it removes; the ledger gets its digest.
 * @throws NOTHING_TO_RELEASE when no entry comes from these changes; RELEASE_NOT_RECORDED without a base.
 */
export async function buildPartial(context: Context, options: PartialOptions): Promise<PartialBuild> {
  const repository = await openContext(context);
  const changedBy = await readChangedBy(repository, options.changedBy);
  const built = await buildWorkspace(context, { ...plainBuild, at: options.at });
  const workspace = await readWorkspace(context, { repository, commit: built.commit, source: 'commit' });
  const known = await readLedger(context, repository);
  const output = await placeInside(repository.root, workspace.config.output, '`output`');
  const partials: BuiltPartial[] = [];
  for (const release of built.releases) {
    const base = baseOf(context, { known, release, options });
    if (base === null) continue;
    const range = { from: base.commit, to: built.commit };
    const commits = await readChangeCommits(repository, {
      ...range,
      isSelected: (commit) => isChangedBy(changedBy, commit),
    });
    if (!commits.some(({ isSelected }) => isSelected)) continue;
    const question = { workspace, base, commits, output, options };
    const partial = await makePartial(context, release, question);
    if (partial !== null) partials.push(partial);
  }
  if (partials.length === 0) throw nothingSelected(options.changedBy);
  const remote = await remoteOf(repository.place, await currentBranch(repository.place));
  const run = await beginLedgerRun(context, repository, remote);
  for (const { package: name, base, file, sha256, sizeBytes, commit, entries, removed, issues } of partials)
    run.writer.add({
      type: 'partial',
      package: name,
      version: base.version,
      file,
      sha256,
      size: sizeBytes,
      commit,
      entries: entries.length,
      removed: removed.length,
      issues,
    });
  await run.record(`Record ${partials.map(({ file }) => file).join(', ')}`);
  return { partials };
}

type Question = {
  readonly workspace: Workspace;
  readonly base: LedgerRelease;
  readonly commits: Awaited<ReturnType<typeof readChangeCommits>>;
  readonly output: string;
  readonly options: PartialOptions;
};

/** The release that a partial artifact is put on; null for a package that never had one. */
function baseOf(
  context: Context,
  {
    known,
    release: { package: name },
    options: { base },
  }: { readonly known: readonly LedgerRelease[]; readonly release: BuiltRelease; readonly options: PartialOptions },
): LedgerRelease | null {
  const own = known.filter((release) => release.package === name && !release.isAbandoned);
  if (own.length === 0) {
    warn(context, `${name} has no release on record, so there is nothing that a part of it could be put on`);
    return null;
  }
  const found = findRelease(known, base === null ? name : `${name}@${base}`);
  requireVouched(found, 'Fetch the tags and try again: git fetch --tags');
  return found;
}

async function makePartial(context: Context, release: BuiltRelease, question: Question): Promise<BuiltPartial | null> {
  const { workspace, base, commits, output, options } = question;
  const pair = pairOf(release, base);
  if (pair === null) {
    warn(context, `${release.package} has no archive, in ${base.version} and now, that can be unpacked`);
    return null;
  }
  const built = await readReleaseFolder(release.folder);
  if (built === null) throw new Error('what was just built has a record');
  const { artifacts } = await requireContentsIn(release.folder);
  const source = {
    ...{ workspace, base, commits, ...pair },
    package: release.package,
    version: release.version,
    commit: built.record.commit,
    entries: artifacts.find(({ file }) => file === pair.after.file)?.entries ?? [],
  };
  const planned = await planPartial(source, options);
  const { selection } = planned;
  refuseUnknown(options, planned.known);
  if (selection.entries.length + selection.removed.length === 0) return null;
  const label = labelFor(planned.record.issues, selection);
  const record: PartialRecord = {
    ...planned.record,
    file: `${fileNameOf(release.package)}-${release.version}-after-${base.version}-${label}.tar.gz`,
  };
  const target = path.join(output, 'partial');
  await makeFolder(target);
  const place = path.join(target, record.file);
  const fresh = `${place}.new`;
  await removeFile(fresh);
  const { sizeBytes, sha256 } = await writePartial(source, {
    record,
    archive: path.join(release.folder, pair.after.file),
    time: built.record.sourceTime,
    target: fresh,
  });
  await moveFolder(fresh, place);
  await writeWhole(`${place}.json`, formatPartialRecord(record));
  for (const entry of selection.entries)
    if (entry.alsoHolds.length > 0 && entry.commits.length > 0)
      warn(
        context,
        `${entry.path} also has the changes of ${entry.alsoHolds.map((id) => id.slice(0, 7)).join(', ')}, which were not selected`,
      );
  return { ...record, place, sizeBytes, sha256, unselected: selection.unselected };
}

/** Tells two selections of the same releases apart: their issues, and what was selected. */
function labelFor(issues: readonly string[], { entries, removed }: PartialSelection): string {
  const digest = createHash('sha256')
    .update(JSON.stringify([entries, removed]))
    .digest('hex')
    .slice(0, 8);
  return [...(issues.length === 0 || issues.length > 3 ? [] : ['issue', ...issues]), digest].join('-');
}

/** The archive of a release that can be unpacked, as it was then and as it is now. */
function pairOf(
  { version, artifacts }: BuiltRelease,
  base: LedgerRelease,
): { readonly before: ArtifactRecord; readonly after: ArtifactRecord } | null {
  const earlier = { version: base.version, artifacts: vouchedArtifacts(base) };
  for (const after of artifacts.filter(isWholeArchive)) {
    const before = earlierTwin(after, { version, artifacts }, earlier);
    if (before !== undefined) return { before, after };
  }
  return null;
}

function refuseUnknown({ add, leaveOut }: PartialOptions, known: ReadonlySet<string>): void {
  const unknown = [...add, ...leaveOut].find((file) => !known.has(file));
  if (unknown === undefined) return;
  throw new BevelstoneError('ENTRY_NOT_FOUND', {
    message: `neither the release nor its base has "${unknown}"`,
    why: '--add and --leave-out take paths inside the archive, below its top folder',
    fix: 'See the paths with: bevelstone build --list',
  });
}

function nothingSelected(text: string): BevelstoneError {
  return new BevelstoneError('NOTHING_TO_RELEASE', {
    message: `nothing in the packages comes from ${text}`,
    why: 'no commit since the last release is named by it, or what they change is in no archive that can be unpacked',
    fix: 'See what changed: bevelstone survey --changes',
  });
}
