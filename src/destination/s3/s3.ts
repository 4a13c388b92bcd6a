import { fill } from '../../core/protocol/address-template.ts';
import { formatSums, parseSums } from '../../core/protocol/folder/shelf-page.ts';
import {
  addressOf,
  type Bucket,
  deleteObject,
  headObject,
  keyAt,
  readObject,
  readTagged,
  writeTagged,
} from '../../store/bucket.ts';
import { changeText } from '../../store/change-text.ts';
import type { Connection } from '../../store/connection.ts';
import type { Access, Asking, ListedParcel, NameState, Parcel, Subject } from '../../store/parcel.ts';
import { access as accessOf, bucketOf, listKeys, presenceOf, sendParcel } from '../../store/s3.ts';
import { isStatus } from '../../world/object-store-call.ts';
import {
  type Destination,
  makeDestination,
  type Pointed,
  type Sending,
  type Withdrawal,
  type WithdrawOrder,
} from '../destination.ts';

/** What is known of a bucket; `under` is the template of the folder of a release. */
type PlainBucket = Bucket & { readonly under: string };

/** A bucket of an object store, each release in a folder of its own, with a list of digests. */
export function connectS3(connection: Connection): Destination {
  const { name, config } = connection;
  const bucket: PlainBucket = { ...bucketOf(connection), under: config.under };
  return makeDestination({ name, speaks: config.speaks, over: config.over, url: bucket.base }, bucket, {
    access,
    nameState,
    find: (_bucket, parcel) => presenceOf(bucket, keyOf(bucket, parcel), parcel),
    deliver,
    open: (_bucket, address) => readObject(bucket, keyAt(bucket, address)),
    isListed,
    point,
    fallBack: async () => [],
    withdraw,
  });
}

/** The folder of a release, without slashes around it. */
function folderOf({ under }: PlainBucket, subject: Subject): string {
  return fill(under, subject).replace(/^\/+|\/+$/g, '');
}

/** The key of a file of a release. */
function keyOf(bucket: PlainBucket, parcel: Subject & { readonly fileName: string }): string {
  return [folderOf(bucket, parcel), parcel.fileName].filter(Boolean).join('/');
}

async function deliver(bucket: PlainBucket, parcel: Parcel, { moved }: Sending): Promise<string> {
  const key = keyOf(bucket, parcel);
  await sendParcel(bucket, key, { parcel, moved });
  return addressOf(bucket, key);
}

async function access(bucket: PlainBucket, subject: Subject, { mayWrite, lists }: Asking): Promise<Access> {
  const folder = folderOf(bucket, subject);
  const inFolder = (name: string) => `${folder === '' ? '' : `${folder}/`}${name}`;
  const fileFor = (name: string) => inFolder(`${name}.txt`);
  return accessOf(bucket, { known: inFolder('SHA256SUMS'), whyStrange: () => null, fileFor, mayWrite, lists });
}

/** Changes the list of digests of a release, united with what others have written. @returns whether anything was changed. */
async function changeSums(
  bucket: PlainBucket,
  subject: Subject,
  change: (sums: ReadonlyMap<string, string>) => ReadonlyMap<string, string>,
): Promise<boolean> {
  const key = keyOf(bucket, { ...subject, fileName: 'SHA256SUMS' });
  const { isChanged, text } = await changeText({
    what: `${key} at ${bucket.name}`,
    read: () => readTagged(bucket, key),
    write: (text, before) => writeTagged(bucket, key, { text, before }),
    change: (before) => formatSums(change(parseSums(before ?? ''))),
  });
  if (text === '') await deleteObject(bucket, key);
  return isChanged;
}

async function point(bucket: PlainBucket, all: readonly Parcel[]): Promise<Pointed[]> {
  const [parcel] = all;
  if (parcel === undefined) return [];
  const own = all.map(({ fileName, sha256 }) => [fileName, sha256] as const);
  const moved = await changeSums(bucket, parcel, (sums) => new Map([...sums, ...own]));
  return [{ pointer: 'SHA256SUMS', from: null, moved }];
}

async function nameState(bucket: PlainBucket, subject: Subject): Promise<NameState> {
  const found = await listKeys(bucket, `${folderOf(bucket, subject)}/`).catch((error: unknown) => {
    if (isStatus(error, 404) && bucket.makeBucket) return { KeyCount: 0 };
    throw error;
  });
  return { nameState: 'ours', versionState: (found.KeyCount ?? 0) > 0 ? 'there' : 'free', why: null };
}

async function isListed(bucket: PlainBucket, parcel: ListedParcel): Promise<string | true> {
  return (await headObject(bucket, keyOf(bucket, parcel))) !== null || 'the object is not there yet';
}

async function withdraw(bucket: PlainBucket, subject: Subject, { delivered }: WithdrawOrder): Promise<Withdrawal> {
  // Where it lies follows from the release; the address on record could name any other object.
  for (const { artifact } of delivered) await deleteObject(bucket, keyOf(bucket, { ...subject, fileName: artifact }));
  const names = new Set(delivered.map(({ artifact }) => artifact));
  await changeSums(bucket, subject, (sums) => new Map([...sums].filter(([name]) => !names.has(name))));
  return { how: 'deleted', limits: 'a bucket that keeps versions keeps the old one; copies that others took stay' };
}
