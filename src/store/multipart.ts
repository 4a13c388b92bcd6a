import { createHash } from 'node:crypto';
import {
  AbortMultipartUploadCommand,
  type CompletedPart,
  CompleteMultipartUploadCommand,
  CreateMultipartUploadCommand,
  ListMultipartUploadsCommand,
  ListPartsCommand,
  UploadPartCommand,
} from '@aws-sdk/client-s3';
import { isStatus } from '../world/object-store-call.ts';
import { readSpan } from '../world/sent-file.ts';
import { about, type Bucket, putIfAbsent, run } from './bucket.ts';
import type { Parcel } from './parcel.ts';

const partBytes = 8 << 20;
const maxParts = 9000;
const partsAtOnce = 4;

/** An upload in parts: the object, and the number that the store gave it. */
type Upload = { readonly key: string; readonly uploadId: string };

/** A part of a file. */
type Part = { readonly number: number; readonly start: number; readonly sizeBytes: number };

/** What a store says of a part that it has; some keep no checksum of ours. */
type KeptPart = { readonly etag: string; readonly checksum: string | undefined };

/** Parts that a store has, by number. */
type KnownParts = ReadonlyMap<number, KeptPart>;

/**
 * Uploads a file in parts. Those that an upload which was cut short has left, and that have our digests, are not sent again.
 * @param moved gets the number of bytes that left.
 */
export async function putParts(
  bucket: Bucket,
  key: string,
  { parcel, moved }: { readonly parcel: Parcel; readonly moved: (bytes: number) => void },
): Promise<void> {
  const open = await openUpload(bucket, key);
  const upload: Upload = { key, uploadId: open ?? (await beginUpload(bucket, parcel, key)) };
  const known: KnownParts = open === null ? new Map() : await partsOf(bucket, upload);
  const done: CompletedPart[] = [];
  const parts = partsIn(parcel);
  const next = parts.values();
  let hasFailed = false;
  // Each worker has one buffer, filled again and again: as much is in memory as is under way.
  const worker = async () => {
    const buffer = Buffer.allocUnsafeSlow(parts[0]?.sizeBytes ?? 0);
    for (const part of next) {
      if (hasFailed) return;
      const bytes = buffer.subarray(0, part.sizeBytes);
      const checksum = await readSpan(parcel, part.start, bytes);
      const there = known.get(part.number);
      const kept =
        there !== undefined && isSame(there, bytes, checksum)
          ? there
          : await putPart(bucket, upload, { number: part.number, bytes, checksum });
      // A store that does not know our checksums takes no list that has them.
      done.push({ PartNumber: part.number, ETag: kept.etag, ChecksumSHA256: kept.checksum });
      moved(part.sizeBytes);
    }
  };
  const noteFailure = (error: unknown) => {
    hasFailed = true;
    throw error;
  };
  // What is under way when one fails comes to its end: it is there for the next try.
  const workers = Array.from({ length: Math.min(partsAtOnce, parts.length) }, () => worker().catch(noteFailure));
  await Promise.allSettled(workers);
  await Promise.all(workers);
  await completeUpload(bucket, upload, done);
}

/** Whether a part is there already: by our digest, else by its entity tag, which is the MD5 of a part. */
function isSame({ etag, checksum }: KeptPart, bytes: Buffer, own: string): boolean {
  if (checksum !== undefined) return checksum === own;
  return etag.replaceAll('"', '') === createHash('md5').update(bytes).digest('hex');
}

async function completeUpload(bucket: Bucket, { key, uploadId }: Upload, done: CompletedPart[]): Promise<void> {
  const Parts = done.sort((a, b) => (a.PartNumber ?? 0) - (b.PartNumber ?? 0));
  const place = { Bucket: bucket.bucket, Key: key, UploadId: uploadId };
  const input = { ...place, MultipartUpload: { Parts } };
  await putIfAbsent(bucket, {
    what: key.split('/').at(-1) ?? key,
    key,
    sizeBytes: 0,
    put: (condition, options) =>
      bucket.client.send(new CompleteMultipartUploadCommand({ ...input, ...condition }), options),
  });
}

/** Begins an upload in parts and gives it up: that needs the right to write, and leaves nothing. */
export async function beginAndAbort(bucket: Bucket, key: string): Promise<void> {
  const place = { Bucket: bucket.bucket, Key: key };
  const { UploadId } = await run(bucket, {
    what: `to write ${key}`,
    send: (options) => bucket.client.send(new CreateMultipartUploadCommand(place), options),
  });
  await run(bucket, {
    what: `to give ${key} up`,
    send: (options) => bucket.client.send(new AbortMultipartUploadCommand({ ...place, UploadId }), options),
  });
}

async function putPart(
  bucket: Bucket,
  { key, uploadId }: Upload,
  { number, bytes, checksum }: { readonly number: number; readonly bytes: Buffer; readonly checksum: string },
): Promise<KeptPart> {
  const place = { Bucket: bucket.bucket, Key: key, UploadId: uploadId };
  const input = { ...place, PartNumber: number, Body: bytes, ChecksumSHA256: checksum };
  const { ETag = '', ChecksumSHA256 } = await run(bucket, {
    what: `part ${number} of ${key}`,
    send: (options) => bucket.client.send(new UploadPartCommand(input), options),
  });
  return { etag: ETag, checksum: ChecksumSHA256 };
}

/** An upload of this object that was begun and never finished; the latest of several. */
async function openUpload(bucket: Bucket, key: string): Promise<string | null> {
  const input = { Bucket: bucket.bucket, Prefix: key };
  const listed = await run(bucket, {
    what: 'open uploads',
    send: (options) => bucket.client.send(new ListMultipartUploadsCommand(input), options),
  }).catch((error: unknown) => {
    // A small store may not list them: then every upload begins anew.
    if ([400, 404, 405, 501].some((status) => isStatus(error, status))) return null;
    throw error;
  });
  const own = (listed?.Uploads ?? []).filter((upload) => upload.Key === key);
  own.sort((a, b) => (a.Initiated?.getTime() ?? 0) - (b.Initiated?.getTime() ?? 0));
  return own.at(-1)?.UploadId ?? null;
}

async function beginUpload(bucket: Bucket, parcel: Parcel, key: string): Promise<string> {
  const input = { ...about(bucket, parcel, key), ChecksumAlgorithm: 'SHA256' } as const;
  const begun = await run(bucket, {
    what: parcel.fileName,
    send: (options) => bucket.client.send(new CreateMultipartUploadCommand(input), options),
  });
  return begun.UploadId ?? '';
}

async function partsOf(bucket: Bucket, { key, uploadId }: Upload): Promise<KnownParts> {
  const found = new Map<number, KeptPart>();
  for (let marker: string | undefined; ; ) {
    const input = { Bucket: bucket.bucket, Key: key, UploadId: uploadId, PartNumberMarker: marker };
    const page = await run(bucket, {
      what: 'its parts',
      send: (options) => bucket.client.send(new ListPartsCommand(input), options),
    });
    for (const { PartNumber = 0, ETag = '', ChecksumSHA256 } of page.Parts ?? [])
      found.set(PartNumber, { etag: ETag, checksum: ChecksumSHA256 });
    if (page.IsTruncated !== true) return found;
    marker = page.NextPartNumberMarker;
  }
}

/** The parts that a file is sent in, by number. */
function partsIn({ sizeBytes }: Parcel): Part[] {
  const size = Math.max(partBytes, Math.ceil(sizeBytes / maxParts / (1 << 20)) << 20);
  return Array.from({ length: Math.ceil(sizeBytes / size) }, (_, index) => {
    const start = index * size;
    return { number: index + 1, start, sizeBytes: Math.min(size, sizeBytes - start) };
  });
}
