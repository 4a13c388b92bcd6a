import { randomBytes } from 'node:crypto';
import path from 'node:path';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { fill } from '../../core/protocol/address-template.ts';
import { formatSums, parseSums, renderShelf, type ShelfFile } from '../../core/protocol/folder/shelf-page.ts';
import { nothingKnown } from '../../store/access.ts';
import type { Connection } from '../../store/connection.ts';
import type { Access, Asking, NameState, Parcel, Presence, Subject } from '../../store/parcel.ts';
import { hashFile, readBytes } from '../../world/file-bytes.ts';
import { exists, namesBelow, readTextIfThere, removeFile, whyNotWritable } from '../../world/files.ts';
import { Incoming } from '../../world/incoming.ts';
import { placeInside } from '../../world/place-inside.ts';
import { sentBytes } from '../../world/sent-file.ts';
import { systemFault } from '../../world/system-fault.ts';
import {
  type Destination,
  makeDestination,
  type Pointed,
  type Sending,
  type Withdrawal,
  type WithdrawOrder,
} from '../destination.ts';

/** What is known of a folder. */
type Shelf = {
  readonly name: string;
  /** Absolute path. */
  readonly top: string;
  /** Template of the folder of a release. */
  readonly under: string;
  readonly incoming: Incoming;
};

/** A plain folder or static site: each artifact below `under`, its digest beside it, a page over all of them. */
export function connectFolder({ name, config, url, indexUrl }: Connection): Destination {
  const shelf: Shelf = { name, top: url, under: config.under, incoming: new Incoming(url) };
  return makeDestination({ name, speaks: config.speaks, url: indexUrl ?? url }, shelf, {
    access,
    nameState,
    find,
    deliver,
    open: async (_shelf, address) => readBytes(await below(shelf, path.relative(url, address))),
    isListed: async (_shelf, parcel) => (await exists(await placeOf(shelf, parcel))) || 'the file is not there yet',
    point,
    fallBack: async () => [],
    withdraw,
  });
}

/** Whether the folder, or the nearest one above it that is there, can be written to. @throws DESTINATION_REFUSED */
async function access({ name, top, incoming }: Shelf, _subject: Subject, { mayWrite }: Asking): Promise<Access> {
  const { nearest, problem } = await whyNotWritable(top);
  const refuse = (why: string, cause?: unknown) =>
    new BevelstoneError('DESTINATION_REFUSED', {
      message: `cannot write to ${name}`,
      why,
      fix: 'Correct `url` of the destination, or the rights of that folder',
      cause,
    });
  if (problem !== null) throw refuse(`${nearest} ${problem}`);
  if (mayWrite && nearest === top) {
    const file = path.join(top, `probe-${randomBytes(6).toString('hex')}.txt`);
    try {
      await incoming.write(file, [Buffer.from('probe\n')], true);
      await removeFile(file);
    } catch (cause) {
      throw refuse(cause instanceof Error ? cause.message : String(cause), cause);
    }
  }
  return {
    ...nothingKnown,
    credential: 'none',
    why: nearest === top ? null : 'the folder is not there yet and will be made',
  };
}

async function nameState(shelf: Shelf, subject: Subject): Promise<NameState> {
  const isThere = await exists(await below(shelf, fill(shelf.under, subject)));
  return { nameState: 'ours', versionState: isThere ? 'there' : 'free', why: null };
}

/** No part of the path leads out, neither by `..` nor by a link that lies in the folder. */
async function below({ top, name }: Shelf, inside: string): Promise<string> {
  const place = path.resolve(top, inside);
  if (place.startsWith(top + path.sep)) return placeInside(top, inside, `a file of ${name}`);
  throw new BevelstoneError('DESTINATION_REFUSED', {
    message: `${place} is outside ${name}`,
    why: `it is not below ${top}`,
    fix: 'Correct `under` of the destination',
  });
}

function placeOf(shelf: Shelf, parcel: Subject & { readonly fileName: string }): Promise<string> {
  const { under } = shelf;
  return below(shelf, `${fill(under, parcel)}/${parcel.fileName}`);
}

async function writeText({ incoming }: Shelf, place: string, text: string): Promise<void> {
  return incoming.write(place, [Buffer.from(text)], false);
}

async function find(shelf: Shelf, parcel: Parcel): Promise<Presence> {
  const place = await placeOf(shelf, parcel);
  if (!(await exists(place))) return { type: 'absent' };
  const digest = await hashFile(place, 'sha256');
  if (digest === parcel.sha256) return { type: 'same', address: place };
  return { type: 'different', why: `its SHA-256 is ${digest.slice(0, 12)}…, ours ${parcel.sha256.slice(0, 12)}…` };
}

async function deliver(shelf: Shelf, parcel: Parcel, { moved }: Sending): Promise<string> {
  const { incoming, name } = shelf;
  const place = await placeOf(shelf, parcel);
  try {
    await incoming.write(place, sentBytes(parcel, moved), true);
  } catch (cause) {
    if (isBevelstoneError(cause)) throw cause;
    const fault = systemFault(cause);
    if (fault !== null && isBevelstoneError(fault, 'DISK_FULL', 'DISK_FAULT')) throw fault;
    throw new BevelstoneError('DESTINATION_REFUSED', {
      message: `cannot write to ${name}`,
      why: cause instanceof Error ? cause.message : String(cause),
      fix: 'Check that the folder is writable and has free space',
      cause,
    });
  }
  return place;
}

/** Digests beside the files, then the page over all of them: read, united, written whole. */
async function point(shelf: Shelf, all: readonly Parcel[]): Promise<Pointed[]> {
  const { top, name } = shelf;
  const places = await Promise.all(
    all.map(async (parcel) => ({ place: await placeOf(shelf, parcel), sha256: parcel.sha256 })),
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
    await writeText(shelf, file, text);
    isMoved = true;
  }
  const page = path.join(top, 'index.html');
  const [before, text] = [await readTextIfThere(page), renderShelf(name, await shelfFiles(top))];
  if (text !== before) await writeText(shelf, page, text);
  return [{ pointer: 'index.html', from: null, moved: isMoved || text !== before }];
}

async function withdraw(shelf: Shelf, subject: Subject, { delivered }: WithdrawOrder): Promise<Withdrawal> {
  const { top, name } = shelf;
  // Where a file lies follows from the release; the address on record could name any other one.
  for (const { artifact } of delivered) {
    const place = await placeOf(shelf, { ...subject, fileName: artifact });
    await removeFile(place);
    const sums = path.join(path.dirname(place), 'SHA256SUMS');
    const rest = new Map(parseSums((await readTextIfThere(sums)) ?? ''));
    rest.delete(path.basename(place));
    if (rest.size === 0) await removeFile(sums);
    else await writeText(shelf, sums, formatSums(rest));
  }
  await writeText(shelf, path.join(top, 'index.html'), renderShelf(name, await shelfFiles(top)));
  return { how: 'deleted', limits: 'copies that others took are not called back' };
}

/** Every file that a list of digests in some folder below names, sorted. */
async function shelfFiles(top: string): Promise<ShelfFile[]> {
  const found: ShelfFile[] = [];
  const names = await namesBelow(top);
  for (const name of names.filter((entry) => path.basename(entry) === 'SHA256SUMS').sort()) {
    const folder = path.dirname(name);
    const sums = parseSums((await readTextIfThere(path.join(top, name))) ?? '');
    for (const [file, sha256] of sums) found.push({ folder: folder.split(path.sep).join('/'), file, sha256 });
  }
  return found;
}
