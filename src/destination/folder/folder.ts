import path from 'node:path';
import { fill } from '../../core/protocol/address-template.ts';
import { formatSums, parseSums, renderShelf, type ShelfFile } from '../../core/protocol/folder/shelf-page.ts';
import type { Connection } from '../../store/connection.ts';
import { access, below, presenceIn, type Shelf, writeNew } from '../../store/folder.ts';
import type { NameState, Parcel, Presence, Subject } from '../../store/parcel.ts';
import { readBytes } from '../../world/file-bytes.ts';
import { exists, namesBelow, readTextIfThere, removeFile } from '../../world/files.ts';
import { Incoming } from '../../world/incoming.ts';
import { sentBytes } from '../../world/sent-file.ts';
import {
  type Destination,
  makeDestination,
  type Pointed,
  type Sending,
  type Withdrawal,
  type WithdrawOrder,
} from '../destination.ts';

/** What is known of a folder; `under` is the template of the folder of a release. */
type PlainShelf = Shelf & { readonly under: string };

/** A plain folder or static site: each artifact below `under`, its digest beside it, a page over all of them. */
export function connectFolder({ name, config, url, indexUrl }: Connection): Destination {
  const shelf: PlainShelf = { name, top: url, under: config.under, incoming: new Incoming(url) };
  return makeDestination({ name, speaks: config.speaks, over: config.over, url: indexUrl ?? url }, shelf, {
    access: (_shelf, _subject, { mayWrite }) => access(shelf, mayWrite),
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

async function nameState(shelf: PlainShelf, subject: Subject): Promise<NameState> {
  const isThere = await exists(await below(shelf, fill(shelf.under, subject)));
  return { nameState: 'ours', versionState: isThere ? 'there' : 'free', why: null };
}

function placeOf(shelf: PlainShelf, parcel: Subject & { readonly fileName: string }): Promise<string> {
  const { under } = shelf;
  return below(shelf, `${fill(under, parcel)}/${parcel.fileName}`);
}

async function writeText({ incoming }: PlainShelf, place: string, text: string): Promise<void> {
  return incoming.rewrite(place, text);
}

async function find(shelf: PlainShelf, parcel: Parcel): Promise<Presence> {
  return presenceIn(await placeOf(shelf, parcel), parcel);
}

async function deliver(shelf: PlainShelf, parcel: Parcel, { moved }: Sending): Promise<string> {
  const place = await placeOf(shelf, parcel);
  await writeNew(shelf, place, sentBytes(parcel, moved));
  return place;
}

/** Digests beside the files, then the page over all of them: read, united, written whole. */
async function point(shelf: PlainShelf, all: readonly Parcel[]): Promise<Pointed[]> {
  const { top, name } = shelf;
  const [parcel] = all;
  if (parcel === undefined) return [];
  const own = all.map(({ fileName, sha256 }) => [fileName, sha256] as const);
  const isMoved = await changeSums(shelf, parcel, (sums) => new Map([...sums, ...own]));
  const page = path.join(top, 'index.html');
  const [before, text] = [await readTextIfThere(page), renderShelf(name, await shelfFiles(top))];
  if (text !== before) await writeText(shelf, page, text);
  return [{ pointer: 'index.html', from: null, moved: isMoved || text !== before }];
}

async function withdraw(shelf: PlainShelf, subject: Subject, { delivered }: WithdrawOrder): Promise<Withdrawal> {
  const { top, name } = shelf;
  // Where a file lies follows from the release; the address on record could name any other one.
  for (const { artifact } of delivered) await removeFile(await placeOf(shelf, { ...subject, fileName: artifact }));
  const names = new Set(delivered.map(({ artifact }) => artifact));
  await changeSums(shelf, subject, (sums) => new Map([...sums].filter(([file]) => !names.has(file))));
  await writeText(shelf, path.join(top, 'index.html'), renderShelf(name, await shelfFiles(top)));
  return { how: 'deleted', limits: 'copies that others took are not called back' };
}

/** Changes the list of digests of a release, which goes when it is empty. @returns whether it was changed. */
async function changeSums(
  shelf: PlainShelf,
  subject: Subject,
  change: (sums: ReadonlyMap<string, string>) => ReadonlyMap<string, string>,
): Promise<boolean> {
  const file = await placeOf(shelf, { ...subject, fileName: 'SHA256SUMS' });
  const before = (await readTextIfThere(file)) ?? '';
  const text = formatSums(change(parseSums(before)));
  if (text === before) return false;
  await (text === '' ? removeFile(file) : writeText(shelf, file, text));
  return true;
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
