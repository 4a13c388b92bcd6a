import { createHash } from 'node:crypto';
import path from 'node:path';
import { gzipSync } from 'node:zlib';
import type { ArtifactConfig } from '../../core/config/config.ts';
import { contentDigest, type Origin, type PackedEntry } from '../../core/contents/entry.ts';
import type { Candidate } from '../../core/contents/select.ts';
import { formDefinitions } from '../../core/form/definitions.ts';
import type { FormInput } from '../../core/form/layout.ts';
import type { ArtifactPlan, Container, PlannedContent, PlannedEntry } from '../../core/form/plan.ts';
import { planArtifact } from '../../core/form/plan-artifact.ts';
import type { ArtifactRecord } from '../../core/record/release-record.ts';
import { OutputFile, type WrittenArchive } from '../../world/archive/output-file.ts';
import type { PackContent, PackInput } from '../../world/archive/pack-input.ts';
import { writeDeb } from '../../world/archive/write-deb.ts';
import { writeTarGz } from '../../world/archive/write-tar.ts';
import { writeZip } from '../../world/archive/write-zip.ts';
import { readBytes } from '../../world/file-bytes.ts';
import { makeFolder } from '../../world/files.ts';

/** An artifact that lies in the release folder, with what is inside. */
export type PackedArtifact = { readonly record: ArtifactRecord; readonly entries: readonly PackedEntry[] };

/** Where planned entries get their bytes and their origins from. */
export type PackSource = {
  /** Absolute path of a selected file. */
  readonly locate: (source: Candidate) => string;
  readonly originOf: (path: string) => Origin;
  /** The release folder that is being filled. */
  readonly target: string;
  /** @returns what hears of bytes that were read for the artifact. @param of how many there are. */
  readonly progress: (of: number) => (bytes: number) => void;
};

/** Lays an artifact out and packs it; of a loose one each file. */
export async function packArtifacts(input: FormInput, source: PackSource): Promise<PackedArtifact[]> {
  const plan = await planArtifact(input);
  if (!formDefinitions[input.artifact.form].isLoose) return [await packArtifact(input, plan, source)];
  const packed: PackedArtifact[] = [];
  for (const entry of plan.entries) packed.push(await packLoose(input, entry, source));
  return packed;
}

async function packLoose(input: FormInput, entry: PlannedEntry, source: PackSource): Promise<PackedArtifact> {
  const { artifact, platform } = input;
  const pack = { ...toInput(entry, source), path: path.posix.basename(entry.path) };
  const file = path.join(source.target, entry.path);
  await makeFolder(path.dirname(file));
  const written = await writeOne(file, [pack]);
  const record = toRecord({
    file: entry.path,
    artifactConfig: artifact,
    platform,
    writtenArchive: written,
    metadata: '',
  });
  return { record, entries: written.entries };
}

async function packArtifact(input: FormInput, plan: ArtifactPlan, source: PackSource): Promise<PackedArtifact> {
  const file = path.join(source.target, plan.fileName);
  const moved = source.progress(plan.entries.reduce((sum, { content }) => sum + fileSize(content), 0));
  // Made one by one as they are packed: there may be a million.
  const inputs = (function* () {
    for (const entry of plan.entries) yield { ...toInput(entry, source), onRead: moved };
  })();
  const control = (plan.control ?? []).map((entry) => toInput(entry, source));
  const { sourceTime: mtime } = input;
  const written = await writers[plan.container]({ file, inputs, control, mtime, comment: plan.comment });
  const { artifact, platform } = input;
  return {
    record: toRecord({
      file: plan.fileName,
      artifactConfig: artifact,
      platform,
      writtenArchive: written,
      metadata: plan.metadata,
    }),
    entries: written.entries,
  };
}

type WriterInput = {
  readonly file: string;
  readonly inputs: Iterable<PackInput>;
  readonly control: readonly PackInput[];
  readonly mtime: number;
  readonly comment: string | null;
};

const writers: Readonly<Record<Container, (input: WriterInput) => Promise<WrittenArchive>>> = {
  'tar.gz': ({ file, inputs, mtime, comment }) => writeTarGz(file, inputs, { mtime, comment }),
  zip: ({ file, inputs, mtime, comment }) => writeZip(file, inputs, { mtime, comment }),
  deb: ({ file, inputs, control, mtime }) => writeDeb({ file, control, data: inputs, mtime }),
  file: ({ file, inputs }) => writeOne(file, [...inputs]),
};

/** The record of an artifact, of whatever was written or read of it. */
export function toRecord({
  file,
  artifactConfig: { form },
  platform,
  writtenArchive: { entries, sizeBytes, sha256, sha512, sha1 },
  metadata,
}: {
  readonly file: string;
  readonly artifactConfig: ArtifactConfig;
  readonly platform: string | null;
  readonly writtenArchive: WrittenArchive;
  readonly metadata: string;
}): ArtifactRecord {
  const digest = contentDigest(entries, metadata);
  const hashes = formDefinitions[form].hashes(entries);
  return {
    file,
    form,
    platform,
    size: sizeBytes,
    sha256,
    sha512,
    sha1,
    contentDigest: digest,
    entries: entries.length,
    ...(Object.keys(hashes).length === 0 ? {} : { hashes }),
  };
}

function fileSize(content: PlannedContent): number {
  return content.type === 'file' ? content.source.sizeBytes : 0;
}

function toInput({ path: inside, mode, content }: PlannedEntry, source: PackSource): PackInput {
  const origin: Origin = content.type === 'file' ? source.originOf(content.source.path) : { type: 'generated' };
  return { path: inside, mode, content: toContent(content, source), origin };
}

function toContent(content: PlannedContent, { locate }: PackSource): PackContent {
  if (content.type === 'file') {
    const { linkname, sizeBytes } = content.source;
    if (linkname !== null) return { type: 'symlink', linkname };
    return { type: 'file', file: locate(content.source), sizeBytes };
  }
  return content.type === 'gzipped' ? { type: 'bytes', bytes: gzipText(content.text) } : content;
}

/** Debian Policy §12.7 asks for the best compression; the header holds neither name, time nor system (RFC 1952 §2.3.1). */
function gzipText(text: string): Buffer {
  const bytes = gzipSync(text, { level: 9 });
  bytes[9] = 255;
  return bytes;
}

/** An artifact that is one file, such as a POM. */
async function writeOne(file: string, [input]: readonly PackInput[]): Promise<WrittenArchive> {
  if (input === undefined || input.content.type === 'made') throw new Error('an artifact of one file has one');
  const { content, path: inside, mode, origin } = input;
  return OutputFile.fill(file, async (output) => {
    const hash = createHash('sha256');
    let sizeBytes = 0;
    for await (const chunk of chunksOf(content)) {
      hash.update(chunk);
      sizeBytes += chunk.length;
      output.write(chunk);
    }
    return [{ path: inside, type: 'file', sizeBytes, mode, linkname: null, sha256: hash.digest('hex'), origin }];
  });
}

function chunksOf(content: PackContent): AsyncIterable<Uint8Array> | readonly Uint8Array[] {
  if (content.type === 'bytes') return [content.bytes];
  return content.type === 'file' ? readBytes(content.file) : [];
}
