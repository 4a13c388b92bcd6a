import { createHash, type Hash } from 'node:crypto';
import path from 'node:path';
import { renderMarkdown } from '../../core/changelog/markdown.ts';
import type { ReleaseNotes } from '../../core/changelog/section.ts';
import { formatMode } from '../../core/contents/entry.ts';
import { type ChangeRecord, toChangeRecord } from '../../core/history/change-record.ts';
import { formatContentsList, type ListedEntry } from '../../core/record/contents-list.ts';
import type { ArtifactRecord, PendingArtifact, ReleaseRecord } from '../../core/record/release-record.ts';
import { spellAll } from '../../core/version/spelling.ts';
import { pointerOf } from '../../core/version/stream.ts';
import { formatTag } from '../../core/version/tag-pattern.ts';
import { writeWhole } from '../../world/files.ts';
import { processorFamily, programVersions } from '../../world/program.ts';
import { notesOf, readIntro } from '../survey/notes.ts';
import type { SurveyedPackage } from '../survey/survey.ts';
import type { BuildJob } from './build-job.ts';
import type { PackedArtifact } from './pack-artifact.ts';

/** What the records of a release tell of. */
export type RecordInput = {
  readonly fresh: string;
  readonly artifacts: readonly PackedArtifact[];
  readonly pending: readonly PendingArtifact[];
  readonly notes: ReleaseNotes;
};

/** Writes CONTENTS.json, release.json, NOTES.md and SHA256SUMS into a release folder. */
export async function writeRecords(job: BuildJob, { fresh, artifacts, pending, notes }: RecordInput): Promise<void> {
  const records = artifacts.map(({ record }) => record);
  const release = toRelease(job, records, pending);
  const { package: name, version, commit } = release;
  const listed = artifacts.map(({ record: { file, contentDigest }, entries }) => ({
    ...{ file, contentDigest },
    entries: { [Symbol.iterator]: () => listEntries(entries) },
  }));
  const contents = createHash('sha256');
  await writeWhole(
    path.join(fresh, 'CONTENTS.json'),
    digested(inPieces(formatContentsList({ package: name, version, commit }, listed)), contents),
  );
  const texts = [
    ['release.json', `${JSON.stringify(release, null, 2)}\n`],
    ['NOTES.md', renderMarkdown(notes, { links: job.survey.workspace.config.links, withPackage: true, level: 2 })],
  ] as const;
  for (const [name, text] of texts) await writeWhole(path.join(fresh, name), text);
  const digests = [
    ...records.map((record) => `${record.sha256}  ${record.file}\n`),
    `${contents.digest('hex')}  CONTENTS.json\n`,
    ...texts.map(([name, text]) => `${sha256(text)}  ${name}\n`),
  ];
  await writeWhole(path.join(fresh, 'SHA256SUMS'), digests.join(''));
}

/** Packed entries as the contents list has them, each made when it is asked for. */
export function* listEntries(entries: PackedArtifact['entries']): Generator<ListedEntry> {
  for (const { path: inside, type, sizeBytes, mode, sha256: digest, origin } of entries)
    yield { path: inside, type, size: sizeBytes, mode: formatMode(mode), sha256: digest, origin };
}

const pieceLength = 1 << 16;

/** The same text in fewer pieces. */
function* inPieces(parts: Iterable<string>): Generator<string> {
  let piece = '';
  for (const part of parts) {
    piece += part;
    if (piece.length < pieceLength) continue;
    yield piece;
    piece = '';
  }
  yield piece;
}

/** Digests a text as it passes. */
function* digested(pieces: Iterable<string>, hash: Hash): Generator<string> {
  for (const piece of pieces) {
    hash.update(piece);
    yield piece;
  }
}

/** The notes of the release, dated by its commit so that they are the same each time. */
export async function notesForRelease({
  context,
  survey,
  surveyed,
  version,
  sourceTime,
  source,
}: Pick<BuildJob, 'context' | 'survey' | 'surveyed' | 'version' | 'sourceTime' | 'source'>): Promise<ReleaseNotes> {
  const intro = await readIntro(context, { ...survey, commit: source }, surveyed);
  const at = new Date(sourceTime * 1000);
  return { ...notesOf(survey, surveyed, { at, intro, contributors: false, range: '' }), version };
}

/** The changes that count for a surveyed package, as a record holds them. */
export function countedChanges({ changes, isShifted }: SurveyedPackage): ChangeRecord[] {
  return [...changes].filter(({ counted }) => counted).map((change) => toChangeRecord(change, isShifted));
}

function toRelease(
  { context, survey, surveyed, pkg, version, sourceTime, tools, isUncommitted, source }: BuildJob,
  artifacts: readonly ArtifactRecord[],
  pending: readonly PendingArtifact[],
): ReleaseRecord {
  const { workspace, stream, commit } = survey;
  const index = workspace.packages.indexOf(pkg);
  return {
    schema: 'bevelstone/1',
    package: pkg.name,
    name: pkg.fullName,
    ecosystem: pkg.ecosystem,
    folder: pkg.folder === '' ? '.' : pkg.folder,
    version,
    last: surveyed.last?.version ?? null,
    weight: surveyed.weight,
    reasons: surveyed.reasons,
    spellings: spellAll(version, stream),
    // Somebody's own tag may follow a pattern that is only read.
    tag: surveyed.here?.version === version ? surveyed.here.tag : formatTag(pkg, version),
    stream: { name: stream.name, type: stream.type, pointer: pointerOf(stream) },
    commit,
    source,
    sourceTime,
    configDigest: workspace.configText === null ? null : sha256(workspace.configText),
    needs: survey.edges
      .filter(({ from, kind }) => from === index && kind !== 'development')
      .map(({ to }) => workspace.packages[to]?.name ?? ''),
    artifacts,
    sboms: [],
    pending,
    uncommitted: isUncommitted,
    changes: countedChanges(surveyed),
    tools,
    program: { ...programVersions(context.programVersion), arch: processorFamily() },
  };
}

function sha256(text: string): string {
  return createHash('sha256').update(text).digest('hex');
}
