import path from 'node:path';
import type { Entry } from '../core/contents/entry.ts';
import { BevelstoneError, isBevelstoneError } from '../core/error/bevelstone-error.ts';
import { parsePackageJson, readPackageJson } from '../core/manifest/package-json.ts';
import { SecretScanner } from '../core/rule/contents/secret-shape.ts';
import type { Artifact } from '../core/rule/rule.ts';
import { readTarGz } from '../world/archive/read-tar.ts';

/** An artifact as read from its file, with the file's own digests. */
export type ReadArtifact = Artifact & { readonly sha256: string; readonly sha512: string };

const kept = /^(?:[^/]+\/)?(?:package\.json|readme(?:\.[a-z]+)?)$/i;

/**
 * Reads an artifact once, for showing or for checking: entries with digests, manifest, readme, what looks like secrets.
 * @throws ARCHIVE_UNKNOWN for other forms, ARCHIVE_DAMAGED, ARCHIVE_TOO_LARGE, FILE_NOT_FOUND.
 */
export async function readArtifact(file: string): Promise<ReadArtifact> {
  if (!/\.(?:tgz|tar\.gz)$/i.test(file)) throw unknownForm(file);
  const scanner = new SecretScanner();
  const {
    entries,
    kept: texts,
    sizeBytes,
    sha256,
    sha512,
  } = await readTarGz(file, {
    wants: (name) => kept.test(name),
    chunk: (name, chunk, isFirst) => scanner.chunk(name, chunk, isFirst),
  });
  const prefix = commonFolder(entries);
  const decoded = new Map([...texts].map(([name, bytes]) => [name, bytes.toString('utf8')]));
  const manifestPath = `${prefix}package.json`;
  const manifestText = decoded.get(manifestPath);
  const isNpm = file.toLowerCase().endsWith('.tgz') && manifestText !== undefined;
  const manifest = isNpm ? readManifest(manifestText, manifestPath) : null;
  return {
    fileName: path.basename(file),
    form: isNpm ? 'npm-tarball' : 'tar.gz',
    sizeBytes,
    sha256,
    sha512,
    entries,
    prefix,
    manifest,
    texts: decoded,
    secrets: scanner.found,
  };
}

/** A broken manifest is something to report, not a reason to show nothing. */
function readManifest(text: string, file: string): Artifact['manifest'] {
  try {
    const json = parsePackageJson(text, file);
    return { path: file, json, common: readPackageJson(json) };
  } catch (error) {
    if (!isBevelstoneError(error, 'MANIFEST_INVALID')) throw error;
    return {
      path: file,
      json: {},
      common: { name: null, version: null, description: null, licence: null, dependencies: [] },
    };
  }
}

function commonFolder(entries: readonly Entry[]): string {
  const [first] = entries;
  const folder =
    first === undefined || !first.path.includes('/') ? '' : first.path.slice(0, first.path.indexOf('/') + 1);
  return folder !== '' && folder !== '../' && entries.every(({ path }) => path.startsWith(folder)) ? folder : '';
}

function unknownForm(file: string): BevelstoneError {
  return new BevelstoneError('ARCHIVE_UNKNOWN', {
    message: `${file} is of no form that Bevelstone reads`,
    why: 'it reads npm tarballs (.tgz) and .tar.gz archives so far',
    fix: 'Name a built artifact',
    where: { file },
  });
}
