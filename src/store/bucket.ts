import {
  DeleteObjectCommand,
  GetObjectCommand,
  HeadObjectCommand,
  type HeadObjectCommandOutput,
  PutObjectCommand,
  type S3Client,
} from '@aws-sdk/client-s3';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { contentTypeOf } from '../core/protocol/content-type.ts';
import { guarded } from '../world/http.ts';
import { callStore, isStatus } from '../world/object-store-call.ts';
import type { StoreSeen } from '../world/object-store-client.ts';
import type { Connection } from './connection.ts';
import type { Parcel } from './parcel.ts';
import type { TaggedText, Written } from './store.ts';
import { untrustedOrigin } from './web.ts';

/** What is known of a bucket. */
export type Bucket = Pick<Connection, 'name' | 'url' | 'signal' | 'secrets' | 'credential'> & {
  readonly client: S3Client;
  readonly bucket: string;
  /** Where its objects are for people, with `/` behind. */
  readonly base: string;
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

/** Deletes an object; it need not be there. */
export async function deleteObject(bucket: Bucket, key: string): Promise<void> {
  const input = { Bucket: bucket.bucket, Key: key };
  const what = `to delete ${key}`;
  await run(bucket, { what, send: (options) => bucket.client.send(new DeleteObjectCommand(input), options) });
}

/** A small text with its entity tag; both null when there is none. */
export async function readTagged(bucket: Bucket, key: string): Promise<TaggedText> {
  const input = { Bucket: bucket.bucket, Key: key };
  const { client } = bucket;
  try {
    return await run(bucket, {
      what: key,
      send: async (options) => {
        const got = await client.send(new GetObjectCommand(input), options);
        // Within the request: the connection may end in the middle of the text.
        return { text: (await got.Body?.transformToString()) ?? '', tag: got.ETag ?? null };
      },
    });
  } catch (error) {
    if (isStatus(error, 404)) return { text: null, tag: null };
    throw error;
  }
}

/**
 * Writes a small text on the condition that what is there is what was read before. A store that knows no conditions answers 501
 * to one; it is asked without from then on.
 */
export async function writeTagged(
  bucket: Bucket,
  key: string,
  { text, before }: { readonly text: string; readonly before: TaggedText },
): Promise<Written> {
  const { client } = bucket;
  const isConditional = bucket.writes.isConditional !== false;
  const condition = before.text === null ? { IfNoneMatch: '*' } : before.tag === null ? {} : { IfMatch: before.tag };
  const input = { Bucket: bucket.bucket, Key: key, Body: text, ContentType: contentTypeOf(key) };
  const put = new PutObjectCommand({ ...input, ...(isConditional ? condition : {}) });
  try {
    await run(bucket, { what: key, send: (options) => client.send(put, options) });
    return isConditional && Object.keys(condition).length > 0 ? 'written' : 'unconditional';
  } catch (error) {
    if (isStatus(error, 412) || isStatus(error, 409)) return 'changed-meanwhile';
    if (!isConditional || !isStatus(error, 501)) throw error;
    bucket.writes.isConditional = false;
    return writeTagged(bucket, key, { text, before });
  }
}
