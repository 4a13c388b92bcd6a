import path from 'node:path';
import { type BinaryKind, binaryHeadBytes, readBinaryKind } from '../core/contents/binary.ts';
import { contentDigest } from '../core/contents/entry.ts';
import { describeArtifact, isDescribing } from '../core/describe/describe.ts';
import type { Description } from '../core/describe/description.ts';
import { SecretScanner } from '../core/rule/contents/secret-shape.ts';
import type { Artifact } from '../core/rule/rule.ts';
import type { EntryWatcher, ReadEntry } from '../world/archive/entry-watcher.ts';
import { readArchive } from '../world/archive/read-archive.ts';

/** An artifact as read from its file, with the file's own digests and what it says of itself. */
export type ReadArtifact = Omit<Artifact, 'entries'> &
  Description & {
    readonly entries: readonly ReadEntry[];
    readonly sha256: string;
    readonly contentDigest: string;
  };

/** What a reader may want beside entries and manifest. */
export type ReadOptions = {
  /** Whether to look for secrets, which takes longer than all the rest. */
  readonly secrets?: boolean;
  /** Further paths whose whole text is wanted. */
  readonly texts?: (path: string) => boolean;
  /** Gets every chunk of every file. */
  readonly chunk?: EntryWatcher['chunk'];
};

/**
 * Reads an artifact of any form once, for showing or for checking: entries with digests, manifest, readme, targets.
 * @throws ARCHIVE_UNKNOWN for other files, ARCHIVE_DAMAGED, ARCHIVE_TOO_LARGE, ARCHIVE_ENCRYPTED, FILE_NOT_FOUND.
 */
export async function readArtifact(file: string, options: ReadOptions = {}): Promise<ReadArtifact> {
  const scanner = options.secrets === true ? new SecretScanner() : null;
  const binaries = new Map<string, BinaryKind>();
  const archive = await readArchive(file, {
    wants: (name) => isDescribing(name) || options.texts?.(name) === true,
    chunk: (name, chunk, isFirst) => {
      scanner?.chunk(name, chunk, isFirst);
      options.chunk?.(name, chunk, isFirst);
      if (!isFirst) return;
      const kind = readBinaryKind(chunk.subarray(0, binaryHeadBytes));
      if (kind !== null) binaries.set(name, kind);
    },
  });
  const texts = new Map([...archive.kept].map(([name, bytes]) => [name, bytes.toString('utf8')]));
  const fileName = path.basename(file);
  const description = describeArtifact({ ...archive, fileName, texts, binaries });
  const { entries, sizeBytes, sha256 } = archive;
  return {
    ...description,
    fileName,
    sizeBytes,
    sha256,
    entries,
    secrets: scanner?.found ?? [],
    contentDigest: contentDigest(entries, description.metadata),
  };
}
