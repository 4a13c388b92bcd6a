import path from 'node:path';
import { formDefinitions } from '../../core/form/definitions.ts';
import type { ArtifactRecord } from '../../core/record/release-record.ts';
import type { Parcel } from '../../store/parcel.ts';
import { fileDigest } from '../../world/archive/file-digest.ts';
import { readStamp } from '../../world/file-stamp.ts';
import { readArtifact } from '../read/read-artifact.ts';
import { alteredArtifact, type ReleaseFolder } from './built-release.ts';

/**
 * The parcel of an artifact: its bytes stay in the file, what a protocol shows is read from inside.
 * @throws RELEASE_ALTERED when the file is no longer the recorded one.
 */
export async function parcelOf({ folder, record }: ReleaseFolder, artifact: ArtifactRecord): Promise<Parcel> {
  const file = path.join(folder, artifact.file);
  const stamp = await readStamp(file);
  if ((await fileDigest(file, artifact.size)) !== artifact.sha256) throw alteredArtifact(file);
  const read = formDefinitions[artifact.form].isShownOnUpload ? await readArtifact(file) : null;
  const { form, platform, sha1, sha256, sha512 } = artifact;
  const { name, version, spellings, stream, commit, sourceTime } = record;
  return {
    file,
    fileName: artifact.file,
    form,
    platform,
    sizeBytes: artifact.size,
    sha1,
    sha256,
    sha512,
    packageName: record.package,
    name,
    version,
    spellings,
    stream,
    commit,
    sourceTime,
    stamp,
    manifest: read?.manifest?.json ?? null,
    manifestText: (read?.manifest && read.texts.get(read.manifest.path)) ?? null,
    readme: read?.readme?.text ?? null,
  };
}
