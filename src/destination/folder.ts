import { createHash } from 'node:crypto';
import { createReadStream, createWriteStream } from 'node:fs';
import { link, mkdir, readdir, rename, rm } from 'node:fs/promises';
import { hostname } from 'node:os';
import path from 'node:path';
import { pipeline } from 'node:stream/promises';
import { BevelstoneError, isBevelstoneError } from '../core/error/bevelstone-error.ts';
import { formatSums, parseSums, renderShelf, type ShelfFile } from '../core/protocol/shelf-page.ts';
import { exists, readTextIfThere, writeWhole } from '../world/files.ts';
import { fill } from './address-template.ts';
import type { Destination, Parcel, Pointed, Presence, Subject } from './destination.ts';
import { parcelBytes } from './parcel-bytes.ts';

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
  const below = (inside: string) => {
    const place = path.resolve(top, inside);
    if (place.startsWith(top + path.sep)) return place;
    throw new BevelstoneError('DESTINATION_REFUSED', {
      message: `${name} would be left: ${place}`,
      why: `it is not below ${folder}`,
      fix: 'Correct `under` of the destination',
    });
  };
  const placeOf = (parcel: Subject & { readonly fileName: string }) =>
    below(`${fill(under, parcel)}/${parcel.fileName}`);

  const find = async (parcel: Parcel): Promise<Presence> => {
    const place = placeOf(parcel);
    if (!(await exists(place))) return { type: 'absent' };
    const digest = await digestOf(place);
    if (digest === parcel.sha256) return { type: 'same', address: place };
    return { type: 'different', why: `its SHA-256 is ${digest.slice(0, 12)}…, ours ${parcel.sha256.slice(0, 12)}…` };
  };

  const deliver: Destination['deliver'] = async (parcel, { moved }) => {
    const place = placeOf(parcel);
    const temporary = `${place}.${hostname()}-${process.pid}.tmp`;
    try {
      await mkdir(path.dirname(place), { recursive: true });
      await pipeline(parcelBytes(parcel, moved), createWriteStream(temporary, { flush: true }));
      // A link refuses where a rename would write over what another run has laid there meanwhile.
      await link(temporary, place).catch(async (error: NodeJS.ErrnoException) => {
        if (error.code === 'EEXIST' || (await exists(place))) throw error;
        await rename(temporary, place);
      });
    } catch (cause) {
      if (isBevelstoneError(cause)) throw cause;
      throw new BevelstoneError('DESTINATION_REFUSED', {
        message: `${name} could not be written`,
        why: cause instanceof Error ? cause.message : String(cause),
        fix: 'Make sure that the folder can be written and has room',
        cause,
      });
    } finally {
      await rm(temporary, { force: true });
    }
    return place;
  };

  /** Digests beside the files, then the page over all of them: read, united, written whole. */
  const point = async (all: readonly Parcel[]): Promise<Pointed[]> => {
    const places = all.map((parcel) => ({ place: placeOf(parcel), sha256: parcel.sha256 }));
    for (const { place } of places) await sweep(place);
    let isMoved = false;
    for (const one of new Set(places.map(({ place }) => path.dirname(place)))) {
      const file = path.join(one, 'SHA256SUMS');
      const before = (await readTextIfThere(file)) ?? '';
      const own = places.filter(({ place }) => path.dirname(place) === one);
      const sums = new Map([
        ...parseSums(before),
        ...own.map(({ place, sha256 }) => [path.basename(place), sha256] as const),
      ]);
      const text = formatSums(sums);
      if (text === before) continue;
      await writeWhole(file, text);
      isMoved = true;
    }
    const page = path.join(top, 'index.html');
    const [before, text] = [await readTextIfThere(page), renderShelf(name, await shelfFiles(top))];
    if (text !== before) await writeWhole(page, text);
    return [{ pointer: 'index.html', from: null, moved: isMoved || text !== before }];
  };

  const withdraw: Destination['withdraw'] = async (_, delivered) => {
    for (const { address } of delivered) {
      const place = below(path.relative(top, address));
      await rm(place, { force: true });
      const sums = path.join(path.dirname(place), 'SHA256SUMS');
      const rest = new Map(parseSums((await readTextIfThere(sums)) ?? ''));
      rest.delete(path.basename(place));
      if (rest.size === 0) await rm(sums, { force: true });
      else await writeWhole(sums, formatSums(rest));
    }
    await writeWhole(path.join(top, 'index.html'), renderShelf(name, await shelfFiles(top)));
    return { how: 'deleted', limits: 'copies that others took are not called back' };
  };

  return {
    name,
    speaks: 'folder',
    url: indexUrl ?? folder,
    access: async () => ({ credential: 'none', why: null, opens: 'unknown', skewMs: null }),
    nameState: async (subject) => {
      const there = await exists(below(fill(under, subject)));
      return { nameState: 'ours', versionState: there ? 'there' : 'free', why: null };
    },
    find,
    deliver,
    open: async (address) => createReadStream(below(path.relative(top, address))),
    isListed: async (parcel) => (await exists(placeOf(parcel))) || 'the file is not there yet',
    point,
    withdraw,
  };
}

/** Every file that a list of digests in some folder below names, sorted. */
async function shelfFiles(top: string): Promise<ShelfFile[]> {
  const found: ShelfFile[] = [];
  const names = await readdir(top, { recursive: true });
  for (const name of names.filter((one) => path.basename(one) === 'SHA256SUMS').sort()) {
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

/** Removes what processes of this machine that are gone have left half-written beside a file. */
async function sweep(place: string): Promise<void> {
  const start = `${path.basename(place)}.${hostname()}-`;
  for (const name of await readdir(path.dirname(place))) {
    if (!name.startsWith(start) || !name.endsWith('.tmp')) continue;
    if (isAlive(Number(name.slice(start.length, -'.tmp'.length)))) continue;
    await rm(path.join(path.dirname(place), name), { force: true });
  }
}

function isAlive(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch (error) {
    return (error as NodeJS.ErrnoException).code !== 'ESRCH';
  }
}
