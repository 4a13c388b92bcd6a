import { createHash, randomBytes } from 'node:crypto';
import {
  CreateBucketCommand,
  HeadBucketCommand,
  ListBucketsCommand,
  ListObjectsV2Command,
  PutObjectCommand,
} from '@aws-sdk/client-s3';
import { BevelstoneError, isBevelstoneError } from '../core/error/bevelstone-error.ts';
import { contentTypeOf } from '../core/protocol/content-type.ts';
import { bucketAddress } from '../core/protocol/s3/bucket-address.ts';
import { conditionalWrites, theAddress, writePermission } from '../core/protocol/untested.ts';
import { isStatus, storeCode } from '../world/object-store-call.ts';
import { makeObjectStoreClient } from '../world/object-store-client.ts';
import { readSpan } from '../world/sent-file.ts';
import { nothingKnown, shownPlaces } from './access.ts';
import {
  about,
  addressOf,
  type Bucket,
  deleteObject,
  headObject,
  keyAt,
  putIfAbsent,
  readObject,
  readTagged,
  run,
  type SendOptions,
  writeTagged,
} from './bucket.ts';
import type { Connection } from './connection.ts';
import { beginAndAbort, putParts } from './multipart.ts';
import { once } from './once.ts';
import type { Access, Parcel, Presence } from './parcel.ts';
import type { Store, StoreProbe } from './store.ts';
import { unexpectedAnswer } from './web.ts';

/** Files up to this size go in one request. */
const wholeBytes = 16 << 20;

/** What is known of a bucket before the first request. */
export function bucketOf({ name, config, url, credential, signal, secrets }: Connection): Bucket {
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
    base: bucketAddress(url, config),
    makeBucket: config['make-bucket'],
  };
  return { ...opened, ensure: once(() => makeIfMissing(opened)) };
}

/** A bucket of an object store. Objects are private unless the bucket's own policy says otherwise. */
export function openS3(connection: Connection): Store {
  const bucket = bucketOf(connection);
  return {
    url: bucket.base,
    readerBase: bucket.base,
    needsFolderPages: true,
    addressOf: (key) => addressOf(bucket, key),
    pathAt: (address) => keyAt(bucket, address),
    presence: (key, parcel) => presenceOf(bucket, key, parcel),
    send: (key, parcel, moved) => sendParcel(bucket, key, { parcel, moved }),
    open: (address) => readObject(bucket, keyAt(bucket, address)),
    read: (key) => readTagged(bucket, key),
    write: async (key, text, before) => {
      await bucket.ensure();
      return writeTagged(bucket, key, { text, before });
    },
    ensure: async (key, text) => {
      await bucket.ensure();
      if ((await readTagged(bucket, key)).text !== text) await putText(bucket, key, text);
    },
    remove: (key) => deleteObject(bucket, key),
    list: (folder) => listFolder(bucket, folder),
    together: (work) => work(),
    isAlone: () => false,
    access: (probe) => access(bucket, probe),
  };
}

async function putText(bucket: Bucket, key: string, text: string): Promise<void> {
  const input = { Bucket: bucket.bucket, Key: key, Body: text, ContentType: contentTypeOf(key) };
  await run(bucket, { what: key, send: (options) => bucket.client.send(new PutObjectCommand(input), options) });
}

/** Names of the objects below a prefix that have no further `/` in them. */
async function listFolder(bucket: Bucket, folder: string): Promise<string[]> {
  const names: string[] = [];
  for (let token: string | undefined; ; ) {
    const input = { Bucket: bucket.bucket, Prefix: folder, Delimiter: '/', ContinuationToken: token };
    const page = await run(bucket, {
      what: 'the list of objects',
      send: (options) => bucket.client.send(new ListObjectsV2Command(input), options),
    });
    names.push(...(page.Contents ?? []).flatMap(({ Key }) => Key?.slice(folder.length) || []));
    if (page.IsTruncated !== true) return names;
    token = page.NextContinuationToken;
  }
}

/** What lies at a key, compared with a parcel. */
export async function presenceOf(
  bucket: Bucket,
  key: string,
  parcel: Pick<Parcel, 'sha256' | 'sizeBytes'>,
): Promise<Presence> {
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

/** Sends a parcel to a key that must be free, in parts where it is large. */
export async function sendParcel(
  bucket: Bucket,
  key: string,
  { parcel, moved }: { readonly parcel: Parcel; readonly moved: (bytes: number) => void },
): Promise<void> {
  await bucket.ensure();
  if (parcel.sizeBytes > wholeBytes) await putParts(bucket, key, { parcel, moved });
  else await putWhole(bucket, key, { parcel, moved });
  if (bucket.writes.isConditional === false) {
    const found = await presenceOf(bucket, key, parcel);
    if (found.type !== 'same')
      throw unexpectedAnswer(bucket.name, `${parcel.fileName} is not there as it was written`, bucket.url);
  }
}

async function putWhole(
  bucket: Bucket,
  key: string,
  { parcel, moved }: { readonly parcel: Parcel; readonly moved: (bytes: number) => void },
): Promise<void> {
  const { fileName, sizeBytes, sha256 } = parcel;
  const bytes = Buffer.allocUnsafeSlow(sizeBytes);
  await readSpan(parcel, 0, bytes);
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
    }).catch((refusal) => {
      // Another publisher may have made it meanwhile.
      if (!isStatus(refusal, 409)) throw refusal;
      return headBucket(bucket);
    });
  }
}

/**
 * A signed list of the prefix of the release; with `mayWrite` an upload in parts that is begun and given up, and whether the
 * store writes on conditions.
 * @throws DESTINATION_ANSWER where no object store answers.
 */
export async function access(
  bucket: Bucket,
  { known, whyStrange, fileFor, mayWrite, lists }: StoreProbe,
): Promise<Access> {
  const prefix = known.replace(/[^/]*$/, '');
  const credential = bucket.credential.type === 'none' ? ('none' as const) : ('accepted' as const);
  try {
    const isThere = await hasBucket(bucket, prefix);
    const why = isThere ? whyStrange((await readTagged(bucket, known)).text ?? '') : null;
    if (why !== null) throw noStore(bucket, why, null);
    if (isThere && mayWrite) await tryWriting(bucket, fileFor(`probe-${randomBytes(6).toString('hex')}`));
    const about = { ...nothingKnown, ...bucket.seen, credential };
    const places = lists ? ((await listBuckets(bucket)) ?? []) : [];
    if (isThere && mayWrite)
      return { ...about, why: bucket.writes.isConditional === false ? checkedWrites : null, places };
    // Below a wrong path every bucket is missing; the list of all buckets is only where the store is.
    const isStore = isThere || (await listBuckets(bucket)) !== null;
    const untested = [writePermission, ...(isStore ? [] : [theAddress]), conditionalWrites];
    return { ...about, why: isThere ? null : `${bucket.bucket} will be made`, untested, places };
  } catch (error) {
    if (!isBevelstoneError(error, 'CREDENTIAL_REFUSED')) throw error;
    return { ...nothingKnown, ...bucket.seen, credential: 'refused', why: error.why };
  }
}

/** @returns whether the bucket is there; false where it will be made. @throws DESTINATION_ANSWER, DESTINATION_REFUSED */
async function hasBucket(bucket: Bucket, prefix: string): Promise<boolean> {
  try {
    const found = await listKeys(bucket, prefix);
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
  const key = `${prefix === '' ? '' : prefix}probe-${randomBytes(6).toString('hex')}.txt`;
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

/** The first of the objects below a prefix. */
export function listKeys(bucket: Bucket, prefix: string) {
  const input = { Bucket: bucket.bucket, Prefix: prefix, MaxKeys: 1 };
  return run(bucket, {
    what: 'the list of objects',
    send: (options) => bucket.client.send(new ListObjectsV2Command(input), options),
  });
}

function noBucket({ name, bucket }: Pick<Bucket, 'name' | 'bucket'>, cause: unknown): BevelstoneError {
  return new BevelstoneError('DESTINATION_REFUSED', {
    message: `${name} has no bucket ${bucket}`,
    why: 'a bucket needs an owner and a policy, so it is only created on request',
    fix: 'Create it, or set `make-bucket: true`',
    cause,
  });
}
