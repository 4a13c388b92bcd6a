import path from 'node:path';
import { type BinaryKind, binaryHeadBytes, readBinaryKind } from '../../core/contents/binary.ts';
import { contentDigest } from '../../core/contents/entry.ts';
import { FactCollector } from '../../core/facts/collector.ts';
import { isRuleText } from '../../core/facts/rule-text.ts';
import type { Artifact } from '../../core/form/artifact.ts';
import { formDefinitions } from '../../core/form/definitions.ts';
import { describeArtifact, isDescribing } from '../../core/form/describe.ts';
import type { Form } from '../../core/name/form.ts';
import type { EntryWatcher } from '../../world/archive/entry-watcher.ts';
import { InnerArchives } from '../../world/archive/inner-archive.ts';
import { readArchive, readWholeFile } from '../../world/archive/read-archive.ts';
import { makePause } from '../../world/pause.ts';

/** An artifact as read from its file, with the file's own digests and what it says of itself. */
export type ReadArtifact = Omit<Artifact, 'facts'> & { readonly sha256: string; readonly contentDigest: string };

/** What a reader may want beside entries and manifest. */
export type ReadOptions = {
  /** Further paths whose whole text is wanted. */
  readonly texts?: (path: string) => boolean;
  /** Whether the file is taken as it is, whatever it looks like. */
  readonly isWhole?: boolean;
  /** Gets every chunk of every file. */
  readonly chunk?: EntryWatcher['chunk'];
};

/**
 * Reads an artifact of any form once, for showing or for checking: entries with digests, manifest, readme, targets.
 * @throws ARCHIVE_UNKNOWN for other files, ARCHIVE_DAMAGED, ARCHIVE_TOO_LARGE, ARCHIVE_ENCRYPTED, FILE_NOT_FOUND.
 */
export async function readArtifact(file: string, options: ReadOptions = {}): Promise<ReadArtifact> {
  const binaries = new Map<string, BinaryKind>();
  const read = options.isWhole === true ? readWholeFile : readArchive;
  const archive = await read(file, {
    wants: (name) => isDescribing(name) || options.texts?.(name) === true,
    chunk: (name, chunk, isFirst) => {
      const busy = options.chunk?.(name, chunk, isFirst);
      if (!isFirst) return busy;
      const kind = readBinaryKind(chunk.subarray(0, binaryHeadBytes));
      if (kind !== null) binaries.set(name, kind);
      return busy;
    },
  });
  const texts = new Map([...archive.kept].map(([name, bytes]) => [name, bytes.toString('utf8')]));
  const fileName = path.basename(file);
  const description = describeArtifact({ ...archive, fileName, texts, binaries });
  const { entries, sizeBytes, sha256, control } = archive;
  return {
    ...description,
    fileName,
    sizeBytes,
    sha256,
    entries,
    texts,
    control,
    binaries,
    contentDigest: contentDigest(entries, description.metadata),
  };
}

/** An artifact with all that rules want to know of its files; read in the same pass. */
export type ExaminedArtifact = Artifact & { readonly sha256: string };

/** How an artifact is read for the rules. */
export type ExamineOptions = {
  /** Folders of this machine that nothing shipped should name. */
  readonly ownPlaces: readonly string[];
  /** Ends it, also in the middle of a large artifact. */
  readonly signal: AbortSignal;
  /** The form on record; null where the file has to tell. */
  readonly form?: Form | null;
};

/**
 * Reads an artifact for the rules.
 * @throws like readArtifact.
 */
export async function examineArtifact(
  file: string,
  { ownPlaces, signal, form = null }: ExamineOptions,
): Promise<ExaminedArtifact> {
  const pause = makePause(signal);
  const collector = new FactCollector(ownPlaces);
  const inner = new InnerArchives((name, file) => collector.inner(name, file));
  const artifact = await readArtifact(file, {
    texts: isRuleText,
    isWhole: form !== null && formDefinitions[form].isLoose,
    chunk: (name, chunk, isFirst) => {
      collector.chunk(name, chunk, isFirst);
      return inner.chunk(name, chunk, isFirst) ?? pause();
    },
  });
  await inner.finish();
  // The compiler that reads declarations is large, and most artifacts have none.
  const reader = collector.hasDeclarations() ? await import('../../core/facts/declarations.ts') : null;
  return { ...artifact, facts: collector.finish(reader?.readDeclarations ?? null) };
}
