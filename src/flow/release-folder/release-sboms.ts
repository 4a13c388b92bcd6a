import { createHash } from 'node:crypto';
import path from 'node:path';
import type { SbomKind } from '../../core/name/form.ts';
import type { ArtifactRecord, ReleaseRecord } from '../../core/record/release-record.ts';
import { withSurfaceSection } from '../../core/surface/notes-section.ts';
import { readSmallFile, readTextIfThere, writeWhole } from '../../world/files.ts';
import type { ReleaseFolder } from './built-release.ts';

/** Records SBOMs as what they are from now on: artifacts of the release, with digests, in release.json and SHA256SUMS. */
export async function recordSboms(
  { folder, record }: ReleaseFolder,
  written: readonly { readonly file: string; readonly kind: SbomKind }[],
): Promise<void> {
  const fresh: ArtifactRecord[] = [];
  for (const { file, kind } of written) fresh.push(await toRecord(file, kind));
  const kept = record.sboms.filter(({ form }) => !fresh.some((artifact) => artifact.form === form));
  const sboms = [...kept, ...fresh].sort((a, b) => (a.file < b.file ? -1 : 1));
  await writeRecord(folder, { ...record, sboms }, new Map(sboms.map((sbom) => [sbom.file, sbom.sha256] as const)));
}

/** Records the digests of public surfaces by artifact, and puts their section into the notes. @returns the release with them. */
export async function recordSurfaces(
  { folder, record }: ReleaseFolder,
  { digests, section }: { readonly digests: ReadonlyMap<string, string>; readonly section: string | null },
): Promise<ReleaseFolder> {
  const artifacts = record.artifacts.map((artifact) => {
    const surface = digests.get(artifact.file);
    return surface === undefined ? artifact : { ...artifact, surface };
  });
  const release: ReleaseRecord = { ...record, artifacts };
  const file = path.join(folder, 'NOTES.md');
  const before = await readTextIfThere(file);
  const notes = before === null ? null : withSurfaceSection(before, section);
  if (notes !== null && notes !== before) await writeWhole(file, notes);
  await writeRecord(folder, release, new Map(notes === null ? [] : [['NOTES.md', sha256Text(notes)]]));
  return { folder, record: release };
}

async function writeRecord(folder: string, record: ReleaseRecord, more: ReadonlyMap<string, string>): Promise<void> {
  const text = `${JSON.stringify(record, null, 2)}\n`;
  await writeWhole(path.join(folder, 'release.json'), text);
  await writeSums(folder, new Map([...more, ['release.json', sha256Text(text)]]));
}

async function toRecord(file: string, form: SbomKind): Promise<ArtifactRecord> {
  const bytes = await readSmallFile(file);
  const digest = (algorithm: string) => createHash(algorithm).update(bytes).digest('hex');
  const sha256 = digest('sha256');
  return {
    file: path.basename(file),
    form,
    platform: null,
    size: bytes.length,
    sha256,
    sha512: digest('sha512'),
    sha1: digest('sha1'),
    contentDigest: sha256,
    entries: 0,
  };
}

/** The lines of SHA256SUMS with some put in or changed, the others as they are. */
async function writeSums(folder: string, changed: ReadonlyMap<string, string>): Promise<void> {
  const file = path.join(folder, 'SHA256SUMS');
  const lines = ((await readTextIfThere(file)) ?? '').split('\n').filter(Boolean);
  const others = lines.filter((line) => !changed.has(line.slice(66)));
  await writeWhole(
    file,
    [...others, ...[...changed].map(([name, digest]) => `${digest}  ${name}`)].map((line) => `${line}\n`).join(''),
  );
}

/** SHA-256 of a text in hexadecimal. */
export function sha256Text(text: string): string {
  return createHash('sha256').update(text).digest('hex');
}
