import { createHash } from 'node:crypto';
import path from 'node:path';
import { renderMarkdown } from '../../core/changelog/markdown.ts';
import type { ReleaseNotes } from '../../core/changelog/section.ts';
import { formatMode } from '../../core/contents/entry.ts';
import { type ChangeRecord, toChangeRecord } from '../../core/history/change-record.ts';
import type { ListedEntry } from '../../core/record/contents-list.ts';
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
  const contents = {
    schema: 'bevelstone/1',
    package: release.package,
    version: release.version,
    commit: release.commit,
    artifacts: artifacts.map(({ record, entries }) => ({
      file: record.file,
      contentDigest: record.contentDigest,
      entries: listEntries(entries),
    })),
  };
  const texts = [
    ['CONTENTS.json', `${JSON.stringify(contents, null, 2)}\n`],
    ['release.json', `${JSON.stringify(release, null, 2)}\n`],
    ['NOTES.md', renderMarkdown(notes, { links: job.survey.workspace.config.links, withPackage: true, level: 2 })],
  ] as const;
  for (const [name, text] of texts) await writeWhole(path.join(fresh, name), text);
  const digests = [
    ...records.map((record) => `${record.sha256}  ${record.file}\n`),
    ...texts.map(([name, text]) => `${sha256(text)}  ${name}\n`),
  ];
  await writeWhole(path.join(fresh, 'SHA256SUMS'), digests.join(''));
}

/** Packed entries as the contents list has them. */
export function listEntries(entries: PackedArtifact['entries']): ListedEntry[] {
  return entries.map(({ path: inside, type, sizeBytes, mode, sha256: digest, origin }) => ({
    path: inside,
    type,
    size: sizeBytes,
    mode: formatMode(mode),
    sha256: digest,
    origin,
  }));
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
