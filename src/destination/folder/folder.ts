import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { readdir, rm } from 'node:fs/promises';
import path from 'node:path';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { formatSums, parseSums, renderShelf, type ShelfFile } from '../../core/protocol/folder/shelf-page.ts';
import { exists, readTextIfThere } from '../../world/files.ts';
import { Incoming } from '../../world/incoming.ts';
import { placeInside } from '../../world/place-inside.ts';
import { systemFault } from '../../world/system-fault.ts';
import { fill } from '../address-template.ts';
import type { Destination, Parcel, Pointed, Presence, Subject } from '../destination.ts';
import { parcelBytes } from '../parcel-bytes.ts';

/** Where the folder is. */
export type FolderSettings = {
  readonly name: string;
  readonly folder: string;
  /** Template of the folder of a release. */
  readonly under: string;
  /** Address below which the folder is served; null when it is not. */
  readonly indexUrl: string | null;
};

/** A plain folder or static site: each artifact below `under`, its digest beside it, a page over all of them. */
export function folderDestination({ name, folder, under, indexUrl }: FolderSettings): Destination {
  const top = path.resolve(folder);
  const incoming = new Incoming(top);
  /** No part of the path leads out, neither by `..` nor by a link that lies in the folder. */
  const below = async (inside: string) => {
    const place = path.resolve(top, inside);
    if (place.startsWith(top + path.sep)) return placeInside(top, inside, `a file of ${name}`);
    throw new BevelstoneError('DESTINATION_REFUSED', {
      message: `${place} is outside of ${name}`,
      why: `it is not below ${folder}`,
      fix: 'Correct `under` of the destination',
    });
  };
  const placeOf = (parcel: Subject & { readonly fileName: string }) =>
    below(`${fill(under, parcel)}/${parcel.fileName}`);
  const writeText = async (place: string, text: string) => incoming.write(place, [Buffer.from(text)], false);

  const find = async (parcel: Parcel): Promise<Presence> => {
    const place = await placeOf(parcel);
    if (!(await exists(place))) return { type: 'absent' };
    const digest = await digestOf(place);
    if (digest === parcel.sha256) return { type: 'same', address: place };
    return { type: 'different', why: `its SHA-256 is ${digest.slice(0, 12)}…, ours ${parcel.sha256.slice(0, 12)}…` };
  };

  const deliver: Destination['deliver'] = async (parcel, { moved }) => {
    const place = await placeOf(parcel);
    try {
      await incoming.write(place, parcelBytes(parcel, moved), true);
    } catch (cause) {
      if (isBevelstoneError(cause)) throw cause;
      const fault = systemFault(cause);
      if (fault !== null && isBevelstoneError(fault, 'DISK_FULL', 'DISK_FAULT')) throw fault;
      throw new BevelstoneError('DESTINATION_REFUSED', {
        message: `${name} could not be written`,
        why: cause instanceof Error ? cause.message : String(cause),
        fix: 'Check that the folder can be written and has room',
        cause,
      });
    }
    return place;
  };

  /** Digests beside the files, then the page over all of them: read, united, written whole. */
  const point = async (all: readonly Parcel[]): Promise<Pointed[]> => {
    const places = await Promise.all(
      all.map(async (parcel) => ({ place: await placeOf(parcel), sha256: parcel.sha256 })),
    );
    let isMoved = false;
    for (const release of new Set(places.map(({ place }) => path.dirname(place)))) {
      const file = path.join(release, 'SHA256SUMS');
      const before = (await readTextIfThere(file)) ?? '';
      const own = places.filter(({ place }) => path.dirname(place) === release);
      const sums = new Map([
        ...parseSums(before),
        ...own.map(({ place, sha256 }) => [path.basename(place), sha256] as const),
      ]);
      const text = formatSums(sums);
      if (text === before) continue;
      await writeText(file, text);
      isMoved = true;
    }
    const page = path.join(top, 'index.html');
    const [before, text] = [await readTextIfThere(page), renderShelf(name, await shelfFiles(top))];
    if (text !== before) await writeText(page, text);
    return [{ pointer: 'index.html', from: null, moved: isMoved || text !== before }];
  };

  const withdraw: Destination['withdraw'] = async (subject, delivered) => {
    // Where a file lies follows from the release; the address on record could name any other one.
    for (const { artifact } of delivered) {
      const place = await placeOf({ ...subject, fileName: artifact });
      await rm(place, { force: true });
      const sums = path.join(path.dirname(place), 'SHA256SUMS');
      const rest = new Map(parseSums((await readTextIfThere(sums)) ?? ''));
      rest.delete(path.basename(place));
      if (rest.size === 0) await rm(sums, { force: true });
      else await writeText(sums, formatSums(rest));
    }
    await writeText(path.join(top, 'index.html'), renderShelf(name, await shelfFiles(top)));
    return { how: 'deleted', limits: 'copies that others took are not called back' };
  };

  return {
    name,
    speaks: 'folder',
    url: indexUrl ?? folder,
    access: async () => ({ credential: 'none', why: null, opens: 'unknown', skewMs: null }),
    nameState: async (subject) => {
      const there = await exists(await below(fill(under, subject)));
      return { nameState: 'ours', versionState: there ? 'there' : 'free', why: null };
    },
    find,
    deliver,
    open: async (address) => createReadStream(await below(path.relative(top, address))),
    isListed: async (parcel) => (await exists(await placeOf(parcel))) || 'the file is not there yet',
    point,
    withdraw,
  };
}

/** Every file that a list of digests in some folder below names, sorted. */
async function shelfFiles(top: string): Promise<ShelfFile[]> {
  const found: ShelfFile[] = [];
  const names = await readdir(top, { recursive: true });
  for (const name of names.filter((entry) => path.basename(entry) === 'SHA256SUMS').sort()) {
    const folder = path.dirname(name);
    const sums = parseSums((await readTextIfThere(path.join(top, name))) ?? '');
    for (const [file, sha256] of sums) found.push({ folder: folder.split(path.sep).join('/'), file, sha256 });
  }
  return found;
}

async function digestOf(file: string): Promise<string> {
  const hash = createHash('sha256');
  for await (const chunk of createReadStream(file)) hash.update(chunk as Buffer);
  return hash.digest('hex');
}
