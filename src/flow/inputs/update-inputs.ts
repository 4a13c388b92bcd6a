import path from 'node:path';
import { editInput } from '../../core/config/edit-input.ts';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { fileDigest } from '../../world/archive/file-digest.ts';
import { readText, sizeOf, writeWhole } from '../../world/files.ts';
import { closeConnections } from '../../world/http.ts';
import type { CachedFile } from '../../world/input-cache.ts';
import { makeOwnFolder } from '../../world/leftovers.ts';
import { listFiles } from '../../world/list-files.ts';
import type { Context } from '../context.ts';
import { fetchAnew, fetchInput, type InputPlace, type SignatureState, signatureState } from './fetch-input.ts';
import { type FoundInput, findInput, findInputs } from './find-input.ts';
import { layOne } from './lay-inputs.ts';

/** What is known of an input before or after. */
export type InputFacts = { readonly version: string | null; readonly sha256: string; readonly sizeBytes: number };

/** What changes when the checksum of an input is written anew. */
export type InputUpdate = {
  readonly package: string;
  readonly name: string;
  /** Null when there was no checksum; a string says why the old file could not be had for the comparison. */
  readonly old: InputFacts | { readonly sha256: string; readonly why: string } | null;
  readonly new: InputFacts;
  readonly added: readonly string[];
  readonly removed: readonly string[];
  readonly changed: readonly string[];
  /** Files that are the same. */
  readonly same: number;
  readonly signature: SignatureState;
  readonly isSame: boolean;
};

/** The answer of `inputs update`. */
export type InputsUpdated = {
  readonly file: string;
  readonly written: boolean;
  readonly inputs: readonly InputUpdate[];
};

/** Which inputs, to which version. */
export type UpdateOptions = { readonly name: string | null; readonly version: string | null; readonly dryRun: boolean };

/**
 * Fetches inputs anew, shows what is different, and writes their checksums into bevelstone.yaml once that is agreed.
 * @param agree gets what changes. @throws what `fetchInput` does, INPUT_NOT_FOUND, CONFIG_INVALID
 */
export async function updateInputs(
  context: Context,
  { name, version, dryRun }: UpdateOptions,
  agree: (updates: readonly InputUpdate[]) => Promise<void>,
): Promise<InputsUpdated> {
  const found = version === null ? await findInputs(context, name) : [await findInput(context, name)];
  const [{ repository } = none()] = found;
  try {
    const updates: InputUpdate[] = [];
    for (const one of found) updates.push(await compareInput(context, one, version));
    const file = path.resolve(context.folder, context.configFile ?? path.join(repository.root, 'bevelstone.yaml'));
    const changes = updates.filter(({ isSame }) => !isSame);
    if (changes.length === 0) return { file, written: false, inputs: updates };
    if (dryRun) return { file, written: false, inputs: updates };
    await agree(changes);
    context.signal.throwIfAborted();
    await writeInputs(file, found, updates);
    return { file, written: true, inputs: updates };
  } finally {
    await closeConnections();
  }
}

function none(): never {
  throw new Error('inputs were found');
}

async function writeInputs(file: string, found: readonly FoundInput[], updates: readonly InputUpdate[]): Promise<void> {
  let text = await readText(file);
  for (const [at, { pkg, index, input }] of found.entries()) {
    const { sha256, version } = updates[at]?.new ?? { sha256: '', version: null };
    const edited = editInput(text, {
      package: pkg.name,
      index,
      sha256,
      version: version === input.version ? null : version,
    });
    if (edited === null) throw notEditable(file, input.name, sha256);
    text = edited;
  }
  await writeWhole(file, text);
}

async function compareInput(context: Context, found: FoundInput, version: string | null): Promise<InputUpdate> {
  const { repository, pkg, folder } = found;
  const place: InputPlace = { repository, package: pkg.name, input: found.input, folder };
  if (version !== null && !found.input.from.some((address) => address.includes('{version}')))
    throw noPlaceForVersion(found, version);
  const next: InputPlace = { ...place, input: { ...found.input, version: version ?? found.input.version } };
  const old = await oldFile(context, place);
  const fresh = await fetchAnew(context, next, null);
  const signature = await signatureState(context, next, fresh);
  const base = {
    package: pkg.name,
    name: found.input.name,
    new: { version: next.input.version, sha256: fresh.sha256, sizeBytes: fresh.sizeBytes },
    signature,
    isSame: fresh.sha256 === found.input.sha256 && next.input.version === found.input.version,
  };
  if (old === null || 'why' in old) {
    const files = [...(await filesIn(next, fresh)).keys()];
    return { ...base, old, added: files.sort(), removed: [], changed: [], same: 0 };
  }
  const [before, after] = [await filesIn(place, old), await filesIn(next, fresh)];
  const names = [...new Set([...before.keys(), ...after.keys()])].sort();
  return {
    ...base,
    old: { version: found.input.version, sha256: old.sha256, sizeBytes: old.sizeBytes },
    added: names.filter((file) => !before.has(file)),
    removed: names.filter((file) => !after.has(file)),
    changed: names.filter((file) => before.has(file) && after.has(file) && before.get(file) !== after.get(file)),
    same: names.filter((file) => before.get(file) === after.get(file)).length,
  };
}

/** What is pinned now; why it cannot be had where that is so: an update may be the way out. */
async function oldFile(
  context: Context,
  place: InputPlace,
): Promise<CachedFile | { readonly sha256: string; readonly why: string } | null> {
  const { sha256 } = place.input;
  if (sha256 === null) return null;
  try {
    return await fetchInput(context, { ...place, input: { ...place.input, signature: null } });
  } catch (error) {
    if (!isBevelstoneError(error)) throw error;
    return { sha256, why: `${error.message}: ${error.why}` };
  }
}

/** Files of an input with their digests. */
async function filesIn(place: InputPlace, { file }: CachedFile): Promise<Map<string, string>> {
  const own = await makeOwnFolder(place.repository.commonFolder, 'compare');
  try {
    const input = { ...place.input, into: 'all' };
    const { repository } = place;
    const config = { inputs: [input], patches: [] };
    await layOne(
      { repository, package: place.package, config, folder: own.folder, time: 0 },
      { input, fetched: { file } },
    );
    const top = path.join(own.folder, 'all');
    const digests = (await listFiles(top)).map(async ({ path: inside, linkname }) => {
      const full = path.join(top, inside);
      return [inside, linkname ?? (await fileDigest(full, await sizeOf(full)))] as const;
    });
    return new Map(await Promise.all(digests));
  } finally {
    await own.remove();
  }
}

function noPlaceForVersion({ input }: FoundInput, version: string): BevelstoneError {
  return new BevelstoneError('USAGE', {
    message: `${input.name} cannot be brought to version ${version}`,
    why: 'its addresses do not contain {version}',
    fix: 'Write {version} into `from` of the input where the version stands, or change the address there',
    where: { file: 'bevelstone.yaml' },
  });
}

function notEditable(file: string, name: string, sha256: string): BevelstoneError {
  return new BevelstoneError('CONFIG_INVALID', {
    message: `the checksum of ${name} could not be written into ${file}`,
    why: 'the input is not written out there as a mapping of its own',
    fix: `Write it yourself: sha256: ${sha256}`,
    where: { file },
  });
}
