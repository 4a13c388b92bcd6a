import { createHash, randomBytes } from 'node:crypto';
import {
  CreateBucketCommand,
  HeadBucketCommand,
  ListBucketsCommand,
  ListObjectsV2Command,
  PutObjectCommand,
} from '@aws-sdk/client-s3';
import { BevelstoneError, isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { withSlash } from '../../core/protocol/traits.ts';
import { conditionalWrites, theAddress, writePermission } from '../../core/protocol/untested.ts';
import { nothingKnown, shownPlaces } from '../../store/access.ts';
import {
  about,
  addressOf,
  type Bucket,
  changeSums,
  deleteObject,
  folderOf,
  headObject,
  keyAt,
  keyOf,
  putIfAbsent,
  readObject,
  run,
  type SendOptions,
} from '../../store/bucket.ts';
import type { Connection } from '../../store/connection.ts';
import { beginAndAbort, putParts } from '../../store/multipart.ts';
import { once } from '../../store/once.ts';
import type { Access, Asking, ListedParcel, NameState, Parcel, Presence, Subject } from '../../store/parcel.ts';
import { unexpectedAnswer } from '../../store/web.ts';
import { isStatus, storeCode } from '../../world/object-store-call.ts';
import { makeObjectStoreClient } from '../../world/object-store-client.ts';
import { readSpan } from '../../world/sent-file.ts';
import {
  type Destination,
  makeDestination,
  type Pointed,
  type Sending,
  type Withdrawal,
  type WithdrawOrder,
} from '../destination.ts';

/** Files up to this size go in one request. */
const wholeBytes = 16 << 20;

/** A bucket of an object store. Objects are private unless the bucket's own policy says otherwise. */
export function connectS3({ name, config, url, credential, signal, secrets }: Connection): Destination {
  const { region, 'path-style': pathStyle } = config;
  const opened = {
    name,
    url,
    signal,
    secrets,
    credential,
    ...makeObjectStoreClient({ url, region, pathStyle, credential }),
    writes: { isConditional: null },
    bucket: config.bucket ?? '',
    base: addressBase(url, config.bucket ?? '', pathStyle),
    under: config.under,
    makeBucket: config['make-bucket'],
  };
  const bucket: Bucket = { ...opened, ensure: once(() => makeIfMissing(opened)) };
  return makeDestination({ name, speaks: config.speaks, url: bucket.base }, bucket, {
    access,
    nameState,
    find,
    deliver,
    open: (_bucket, address) => readObject(bucket, keyAt(bucket, address)),
    isListed,
    point,
    fallBack: async () => [],
    withdraw,
  });
}

async function find(bucket: Bucket, parcel: Parcel): Promise<Presence> {
  const key = keyOf(bucket, parcel);
  const head = await headObject(bucket, key);
  if (head === null) return { type: 'absent' };
  if (head.ContentLength !== undefined && head.ContentLength !== parcel.sizeBytes)
    return { type: 'different', why: `it has ${head.ContentLength} bytes, ours ${parcel.sizeBytes}` };
  const stated = head.ChecksumType === 'FULL_OBJECT' ? head.ChecksumSHA256 : undefined;
  const digest = stated === undefined ? await digestOf(bucket, key) : Buffer.from(stated, 'base64').toString('hex');
  if (digest === parcel.sha256) return { type: 'same', address: addressOf(bucket, key) };
  return { type: 'different', why: `its SHA-256 is ${digest.slice(0, 12)}…, ours ${parcel.sha256.slice(0, 12)}…` };
}

/** For a store that keeps no checksum of the whole object: that of the bytes. */
async function digestOf(bucket: Bucket, key: string): Promise<string> {
  const hash = createHash('sha256');
  for await (const chunk of await readObject(bucket, key)) hash.update(chunk);
  return hash.digest('hex');
}

async function headBucket(bucket: Omit<Bucket, 'ensure'>): Promise<void> {
  const input = { Bucket: bucket.bucket };
  await run(bucket, {
    what: `the bucket ${bucket.bucket}`,
    send: (options) => bucket.client.send(new HeadBucketCommand(input), options),
  });
}

async function makeIfMissing(bucket: Omit<Bucket, 'ensure'>): Promise<void> {
  try {
    await headBucket(bucket);
  } catch (error) {
    if (!isStatus(error, 404)) throw error;
    if (!bucket.makeBucket) throw noBucket(bucket, error);
    const input = { Bucket: bucket.bucket };
    await run(bucket, {
      what: `to make ${bucket.bucket}`,
      send: (options) => bucket.client.send(new CreateBucketCommand(input), options),
    });
  }
}

async function deliver(bucket: Bucket, parcel: Parcel, { moved }: Sending): Promise<string> {
  await bucket.ensure();
  if (parcel.sizeBytes > wholeBytes) await putParts(bucket, parcel, moved);
  else await putWhole(bucket, parcel, moved);
  if (bucket.writes.isConditional === false) {
    const found = await find(bucket, parcel);
    if (found.type !== 'same')
      throw unexpectedAnswer(bucket.name, `${parcel.fileName} is not there as it was written`, bucket.url);
  }
  return addressOf(bucket, keyOf(bucket, parcel));
}

async function putWhole(bucket: Bucket, parcel: Parcel, moved: (bytes: number) => void): Promise<void> {
  const { fileName, sizeBytes, sha256 } = parcel;
  const bytes = Buffer.allocUnsafeSlow(sizeBytes);
  await readSpan(parcel, 0, bytes);
  const key = keyOf(bucket, parcel);
  const input = {
    ...about(bucket, parcel, key),
    Body: bytes,
    ChecksumSHA256: Buffer.from(sha256, 'hex').toString('base64'),
  };
  await putIfAbsent(bucket, {
    what: fileName,
    key,
    sizeBytes,
    put: (condition, options) => bucket.client.send(new PutObjectCommand({ ...input, ...condition }), options),
  });
  moved(sizeBytes);
}

async function point(bucket: Bucket, all: readonly Parcel[]): Promise<Pointed[]> {
  const [parcel] = all;
  if (parcel === undefined) return [];
  const own = all.map(({ fileName, sha256 }) => [fileName, sha256] as const);
  const moved = await changeSums(bucket, parcel, (sums) => new Map([...sums, ...own]));
  return [{ pointer: 'SHA256SUMS', from: null, moved }];
}

/**
 * A signed list of the prefix of the release; with `mayWrite` an upload in parts that is begun and given up, and whether the
 * store writes on conditions.
 * @throws DESTINATION_ANSWER where no object store answers.
 */
async function access(bucket: Bucket, subject: Subject, { mayWrite, lists }: Asking): Promise<Access> {
  const prefix = folderOf(bucket, subject);
  const credential = bucket.credential.type === 'none' ? ('none' as const) : ('accepted' as const);
  try {
    const isThere = await hasBucket(bucket, prefix);
    if (isThere && mayWrite) await tryWriting(bucket, prefix);
    const known = { ...nothingKnown, ...bucket.seen, credential };
    const places = lists ? ((await listBuckets(bucket)) ?? []) : [];
    if (isThere && mayWrite)
      return { ...known, why: bucket.writes.isConditional === false ? checkedWrites : null, places };
    // Below a wrong path every bucket is missing; the list of all buckets is only where the store is.
    const isStore = isThere || (await listBuckets(bucket)) !== null;
    const untested = [writePermission, ...(isStore ? [] : [theAddress]), conditionalWrites];
    return { ...known, why: isThere ? null : `${bucket.bucket} will be made`, untested, places };
  } catch (error) {
    if (!isBevelstoneError(error, 'CREDENTIAL_REFUSED')) throw error;
    return { ...nothingKnown, ...bucket.seen, credential: 'refused', why: error.why };
  }
}

/** @returns whether the bucket is there; false where it will be made. @throws DESTINATION_ANSWER, DESTINATION_REFUSED */
async function hasBucket(bucket: Bucket, prefix: string): Promise<boolean> {
  try {
    const found = await listKeys(bucket, `${prefix}/`);
    if (found.KeyCount !== undefined || found.Name !== undefined) return true;
  } catch (error) {
    if (isStatus(error, 404) && storeCode(error) === 'NoSuchBucket') {
      if (bucket.makeBucket) return false;
      throw noBucket(bucket, error);
    }
    if (isBevelstoneError(error, 'DESTINATION_REFUSED')) throw noStore(bucket, error.why, error);
    throw error;
  }
  throw noStore(bucket, 'the answer is not a list of objects, perhaps a web page', null);
}

/** How objects are written where a store knows no conditions, in words. */
const checkedWrites = 'without conditional writes: each object is looked for, written and read back';

/** An upload in parts is given up, and a small object comes and goes. */
async function tryWriting(bucket: Bucket, prefix: string): Promise<void> {
  const key = `${prefix === '' ? '' : `${prefix}/`}probe-${randomBytes(6).toString('hex')}.txt`;
  await beginAndAbort(bucket, key);
  await putIfAbsent(bucket, {
    what: `to write ${key}`,
    key,
    sizeBytes: 0,
    put: (condition, options) =>
      bucket.client.send(
        new PutObjectCommand({ Bucket: bucket.bucket, Key: key, Body: Buffer.from('probe\n'), ...condition }),
        options,
      ),
  });
  await deleteObject(bucket, key);
}

async function listBuckets(bucket: Bucket): Promise<string[] | null> {
  const send = (options: SendOptions) => bucket.client.send(new ListBucketsCommand({}), options);
  const found = await run(bucket, { what: 'the list of buckets', send }).catch(() => null);
  return found?.Buckets?.flatMap(({ Name }) => Name ?? []).slice(0, shownPlaces) ?? null;
}

function noStore({ name, url }: Bucket, why: string, cause: unknown): BevelstoneError {
  return new BevelstoneError('DESTINATION_ANSWER', {
    message: `${name} did not answer as its protocol requires`,
    why: `no object store answers there: ${why}`,
    fix: `Check the address: ${url}`,
    cause,
  });
}

async function nameState(bucket: Bucket, subject: Subject): Promise<NameState> {
  const found = await listKeys(bucket, `${folderOf(bucket, subject)}/`).catch((error: unknown) => {
    if (isStatus(error, 404) && bucket.makeBucket) return { KeyCount: 0 };
    throw error;
  });
  return { nameState: 'ours', versionState: (found.KeyCount ?? 0) > 0 ? 'there' : 'free', why: null };
}

function listKeys(bucket: Bucket, prefix: string) {
  const input = { Bucket: bucket.bucket, Prefix: prefix, MaxKeys: 1 };
  return run(bucket, {
    what: 'the list of objects',
    send: (options) => bucket.client.send(new ListObjectsV2Command(input), options),
  });
}

async function isListed(bucket: Bucket, parcel: ListedParcel): Promise<string | true> {
  return (await headObject(bucket, keyOf(bucket, parcel))) !== null || 'the object is not there yet';
}

async function withdraw(bucket: Bucket, subject: Subject, { delivered }: WithdrawOrder): Promise<Withdrawal> {
  // Where it lies follows from the release; the address on record could name any other object.
  for (const { artifact } of delivered) await deleteObject(bucket, keyOf(bucket, { ...subject, fileName: artifact }));
  const names = new Set(delivered.map(({ artifact }) => artifact));
  await changeSums(bucket, subject, (sums) => new Map([...sums].filter(([name]) => !names.has(name))));
  return { how: 'deleted', limits: 'a bucket that keeps versions keeps the old one; copies that others took stay' };
}

/** Where objects are for people and for clients without an account, with `/` behind. */
function addressBase(url: string, bucket: string, pathStyle: boolean): string {
  const endpoint = new URL(withSlash(url));
  if (pathStyle) return `${endpoint.href}${bucket}/`;
  endpoint.hostname = `${bucket}.${endpoint.hostname}`;
  return endpoint.href;
}

function noBucket({ name, bucket }: Pick<Bucket, 'name' | 'bucket'>, cause: unknown): BevelstoneError {
  return new BevelstoneError('DESTINATION_REFUSED', {
    message: `${name} has no bucket ${bucket}`,
    why: 'a bucket needs an owner and a policy, so it is only created on request',
    fix: 'Create it, or set `make-bucket: true`',
    cause,
  });
}
