import {
  DeleteObjectCommand,
  GetObjectCommand,
  HeadObjectCommand,
  type HeadObjectCommandOutput,
  PutObjectCommand,
  type S3Client,
} from '@aws-sdk/client-s3';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { fill } from '../core/protocol/address-template.ts';
import { contentTypeOf } from '../core/protocol/content-type.ts';
import { formatSums, parseSums } from '../core/protocol/folder/shelf-page.ts';
import { guarded } from '../world/http.ts';
import { callStore, isStatus } from '../world/object-store-call.ts';
import type { StoreSeen } from '../world/object-store-client.ts';
import type { Connection } from './connection.ts';
import type { Parcel, Subject } from './parcel.ts';
import { untrustedOrigin } from './web.ts';

/** What is known of a bucket. */
export type Bucket = Pick<Connection, 'name' | 'url' | 'signal' | 'secrets' | 'credential'> & {
  readonly client: S3Client;
  readonly bucket: string;
  /** Where its objects are for people, with `/` behind. */
  readonly base: string;
  /** Template of the folder of a release. */
  readonly under: string;
  /** What the store said of itself so far. */
  readonly seen: StoreSeen;
  /** Whether the store writes on conditions; null until the first write. */
  readonly writes: { isConditional: boolean | null };
  /** Whether it is made when it is missing. */
  readonly makeBucket: boolean;
  /** Sees to that, once for all uploads, which begin side by side. */
  readonly ensure: () => Promise<void>;
};

/** Options that each request of the client gets. */
export type SendOptions = { readonly abortSignal: AbortSignal };

/** One request: what it is for, and how much it sends. */
export type StoreRequest<Value> = {
  readonly what: string;
  readonly sizeBytes?: number;
  readonly send: (options: SendOptions) => Promise<Value>;
};

/** Runs a request within its time, and tells its failures in our words. */
export function run<Value>(
  { name, url, signal, secrets }: Pick<Bucket, 'name' | 'url' | 'signal' | 'secrets'>,
  { what, sizeBytes = 0, send }: StoreRequest<Value>,
): Promise<Value> {
  const call = { destination: name, what, url, signal, secrets, sizeBytes };
  return callStore(call, (abortSignal) => send({ abortSignal }));
}

/** The folder of a release, without slashes around it. */
export function folderOf({ under }: Bucket, subject: Subject): string {
  return fill(under, subject).replace(/^\/+|\/+$/g, '');
}

/** The key of a file of a release. */
export function keyOf(bucket: Bucket, parcel: Subject & { readonly fileName: string }): string {
  return [folderOf(bucket, parcel), parcel.fileName].filter(Boolean).join('/');
}

/** The address of an object. */
export function addressOf({ base }: Bucket, key: string): string {
  return `${base}${key.split('/').map(encodeURIComponent).join('/')}`;
}

/** The key at an address: an address on record may be anything, and only one of this bucket has a key. @throws ORIGIN_UNTRUSTED */
export function keyAt({ base, name }: Bucket, address: string): string {
  if (address.startsWith(base)) return address.slice(base.length).split('/').map(decodeURIComponent).join('/');
  throw untrustedOrigin({ name, origins: new Set([base]) }, address);
}

/** What every upload of a file says of it. */
export function about({ bucket }: Bucket, parcel: Parcel, key: string) {
  return {
    Bucket: bucket,
    Key: key,
    ContentType: contentTypeOf(parcel.fileName),
    Metadata: { sha256: parcel.sha256, version: parcel.version },
  };
}

/**
 * Writes an object that must not be there yet. A store that answers 501 to a condition (RFC 9110 §13.1.2, "Conditional writes")
 * is asked for the object first; what was written is then to be read back.
 */
export async function putIfAbsent(
  bucket: Bucket,
  {
    what,
    key,
    sizeBytes,
    put,
  }: {
    readonly what: string;
    readonly key: string;
    readonly sizeBytes: number;
    readonly put: (condition: { readonly IfNoneMatch?: '*' }, options: SendOptions) => Promise<unknown>;
  },
): Promise<void> {
  if (bucket.writes.isConditional !== false) {
    try {
      await run(bucket, { what, sizeBytes, send: (options) => put({ IfNoneMatch: '*' }, options) });
      bucket.writes.isConditional = true;
      return;
    } catch (error) {
      if (!isStatus(error, 501)) throw error;
      bucket.writes.isConditional = false;
    }
  }
  if ((await headObject(bucket, key)) !== null) {
    throw new BevelstoneError('DESTINATION_REFUSED', {
      message: `${bucket.name} refused ${what}`,
      why: 'an object came to be there meanwhile',
      fix: 'Run the same command again; it asks first what is there',
    });
  }
  await run(bucket, { what, sizeBytes, send: (options) => put({}, options) });
}

/** What the store says of an object, null when there is none. */
export async function headObject(bucket: Bucket, key: string): Promise<HeadObjectCommandOutput | null> {
  const { client } = bucket;
  const input = { Bucket: bucket.bucket, Key: key, ChecksumMode: 'ENABLED' } as const;
  try {
    return await run(bucket, {
      what: `the question for ${key}`,
      send: (options) => client.send(new HeadObjectCommand(input), options),
    });
  } catch (error) {
    if (isStatus(error, 404)) return null;
    throw error;
  }
}

/** The bytes of an object as they come. */
export async function readObject(bucket: Bucket, key: string): Promise<AsyncIterable<Uint8Array>> {
  const { client, url } = bucket;
  const input = { Bucket: bucket.bucket, Key: key };
  const got = await run(bucket, { what: key, send: (options) => client.send(new GetObjectCommand(input), options) });
  return guarded(got.Body as unknown as AsyncIterable<Uint8Array>, url);
}

const tries = 5;

/**
 * Changes the list of digests of a release, united with what others have written, on the condition that it is still the same.
 * @returns whether anything was changed.
 */
export async function changeSums(
  bucket: Bucket,
  subject: Subject,
  change: (sums: ReadonlyMap<string, string>) => ReadonlyMap<string, string>,
): Promise<boolean> {
  const { client } = bucket;
  const key = keyOf(bucket, { ...subject, fileName: 'SHA256SUMS' });
  for (let attempt = 1; ; attempt++) {
    const before = await readText(bucket, key);
    const text = formatSums(change(parseSums(before?.text ?? '')));
    if (text === (before?.text ?? '')) return false;
    if (text === '') {
      await deleteObject(bucket, key);
      return true;
    }
    const isConditional = bucket.writes.isConditional !== false;
    const condition = before === null ? { IfNoneMatch: '*' } : { IfMatch: before.etag };
    const input = { Bucket: bucket.bucket, Key: key, Body: text, ContentType: contentTypeOf(key) };
    const put = new PutObjectCommand({ ...input, ...(isConditional ? condition : {}) });
    try {
      await run(bucket, { what: key, send: (options) => client.send(put, options) });
      // Without a condition the last writer wins: what is there now decides.
      if (isConditional || (await readText(bucket, key))?.text === text) return true;
      if (attempt >= tries) throw othersWrite(bucket, key);
    } catch (error) {
      if (isConditional && isStatus(error, 501)) bucket.writes.isConditional = false;
      else if (!isStatus(error, 412) || attempt >= tries) throw error;
    }
  }
}

function othersWrite({ name }: Bucket, key: string): BevelstoneError {
  return new BevelstoneError('DESTINATION_BUSY', {
    message: `cannot update ${key} at ${name}`,
    why: `others wrote to it during each of ${tries} attempts`,
    fix: 'Run the same command again; finished uploads are kept',
  });
}

/** Deletes an object; it need not be there. */
export async function deleteObject(bucket: Bucket, key: string): Promise<void> {
  const input = { Bucket: bucket.bucket, Key: key };
  const what = `to delete ${key}`;
  await run(bucket, { what, send: (options) => bucket.client.send(new DeleteObjectCommand(input), options) });
}

async function readText(bucket: Bucket, key: string): Promise<{ text: string; etag: string } | null> {
  const input = { Bucket: bucket.bucket, Key: key };
  const { client } = bucket;
  try {
    const got = await run(bucket, { what: key, send: (options) => client.send(new GetObjectCommand(input), options) });
    return { text: (await got.Body?.transformToString()) ?? '', etag: got.ETag ?? '' };
  } catch (error) {
    if (isStatus(error, 404)) return null;
    throw error;
  }
}
