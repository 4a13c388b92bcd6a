import { createHash, type Hash } from 'node:crypto';
import path from 'node:path';
import { formDefinitions } from '../../core/form/definitions.ts';
import { type FileHeader, readFileHeader } from '../../core/licence/file-header.ts';
import type { Form } from '../../core/name/form.ts';
import type { SbomFile } from '../../core/sbom/sbom.ts';
import { listFiles } from '../../world/list-files.ts';
import { headBytes, surveyFiles } from '../../world/survey-files.ts';
import { type ReadArtifact, readArtifact } from '../read/read-artifact.ts';

/** An archive with the digests and headers of its files. */
export type ArtifactFiles = {
  readonly artifact: ReadArtifact;
  readonly files: readonly SbomFile[];
  readonly texts: ReadonlyMap<string, string>;
};

const emptySha1 = createHash('sha1').digest('hex');

/**
 * Reads an archive once: digests of every file and what its beginning says of licence and copyright.
 * @param wantsText further files whose whole text is wanted. @param onRead hears of bytes that were unpacked.
 * @param form on record; null where the file has to tell. @throws like readArtifact.
 */
export async function readArtifactFiles(
  { file, form }: { readonly file: string; readonly form: Form | null },
  wantsText: (path: string) => boolean,
  onRead: (bytes: number) => void,
): Promise<ArtifactFiles> {
  const digests = new Map<string, string>();
  const headers = new Map<string, FileHeader>();
  let open: { name: string; hash: Hash } | null = null;
  const close = () => {
    if (open !== null) digests.set(open.name, open.hash.digest('hex'));
  };
  const artifact = await readArtifact(file, {
    texts: wantsText,
    isWhole: form !== null && formDefinitions[form].isLoose,
    chunk: (name, chunk, isFirst) => {
      if (isFirst) {
        close();
        open = { name, hash: createHash('sha1') };
        const header = readFileHeader(
          Buffer.from(chunk.buffer, chunk.byteOffset, Math.min(chunk.byteLength, headBytes)),
        );
        headers.set(name, header);
      }
      open?.hash.update(chunk);
      onRead(chunk.byteLength);
    },
  });
  close();
  const files = artifact.entries
    .filter(({ type }) => type === 'file')
    .map(({ path: inside, sha256 }) =>
      toSbomFile({ inside, sha1: digests.get(inside) ?? emptySha1, sha256: sha256 ?? '', header: headers.get(inside) }),
    );
  return { artifact, files: withLicenceFiles(files), texts: artifact.texts };
}

/** The files of a folder, as they lie there. @param progress gets the total size and returns a counter for the bytes read. */
export async function readFolderFiles(
  folder: string,
  progress: (of: number) => (bytes: number) => void,
): Promise<SbomFile[]> {
  const files = (await listFiles(folder)).filter(({ linkname }) => linkname === null);
  const onRead = progress(files.reduce((sum, { sizeBytes }) => sum + sizeBytes, 0));
  const paths = files.map((file) => file.path).sort();
  const surveyed = await surveyFiles(folder, paths, onRead);
  return withLicenceFiles(
    surveyed.map(({ path: inside, sha1, sha256, head }) =>
      toSbomFile({ inside, sha1, sha256, header: head === null ? undefined : readFileHeader(head) }),
    ),
  );
}

function toSbomFile({
  inside,
  sha1,
  sha256,
  header,
}: {
  readonly inside: string;
  readonly sha1: string;
  readonly sha256: string;
  readonly header: FileHeader | undefined;
}): SbomFile {
  return { path: inside, sha1, sha256, licences: header?.licences ?? [], copyright: header?.copyright ?? null };
}

/** `tide.png.license` speaks for `tide.png` (REUSE specification 3.3, "Adjacent .license file"). */
function withLicenceFiles(files: readonly SbomFile[]): SbomFile[] {
  const beside = new Map(
    files
      .filter((file) => file.path.endsWith('.license'))
      .map((file) => [file.path.slice(0, -'.license'.length), file]),
  );
  if (beside.size === 0) return [...files];
  return files.map((file) => {
    const other = beside.get(file.path);
    return other === undefined ? file : { ...file, licences: other.licences, copyright: other.copyright };
  });
}

/** The copyright line of a package: the one of its licence file. */
export function copyrightOf(files: readonly SbomFile[]): string | null {
  const licence = files.find(
    (file) =>
      /^(?:licen[cs]e|copying|copyright)(?:\.\w+)?$/i.test(path.posix.basename(file.path)) && file.copyright !== null,
  );
  return licence?.copyright ?? null;
}
