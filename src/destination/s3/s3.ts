import { createHash } from 'node:crypto';
import {
  type CompletedPart,
  CompleteMultipartUploadCommand,
  CreateBucketCommand,
  CreateMultipartUploadCommand,
  DeleteObjectCommand,
  GetObjectCommand,
  HeadBucketCommand,
  HeadObjectCommand,
  ListMultipartUploadsCommand,
  ListObjectsV2Command,
  ListPartsCommand,
  PutObjectCommand,
  S3Client,
  UploadPartCommand,
} from '@aws-sdk/client-s3';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { contentTypeOf } from '../../core/protocol/content-type.ts';
import { formatSums, parseSums } from '../../core/protocol/folder/shelf-page.ts';
import type { Credential } from '../../world/credential.ts';
import { guarded } from '../../world/http.ts';
import { timeLimits } from '../../world/time-limit.ts';
import { fill } from '../address-template.ts';
import type { Access, Destination, Parcel, Pointed, Presence, Subject } from '../destination.ts';
import { readSpan } from '../parcel-bytes.ts';
import { untrustedOrigin } from '../web.ts';
import { callStore, isStatus } from './s3-errors.ts';

/** Where a bucket is, and how it is named. */
export type S3Settings = {
  readonly name: string;
  readonly url: string;
  readonly bucket: string;
  readonly region: string | null;
  readonly pathStyle: boolean;
  readonly makeBucket: boolean;
  readonly under: string;
  readonly credential: Credential;
  readonly signal: AbortSignal;
  /** What no message may hold. */
  readonly secrets: ReadonlySet<string>;
};

/** Files up to this size go in one request. */
const wholeBytes = 16 << 20;
const partBytes = 8 << 20;
const mostParts = 9000;
const partsAtOnce = 4;

/** A bucket of an object store. Objects are private unless the bucket's own policy says otherwise. */
export function s3(settings: S3Settings): Destination {
  const { name, url, bucket, under, signal, secrets } = settings;
  const client = makeClient(settings);
  const base = addressBase(settings);
  const run = <Value>(what: string, work: (options: { abortSignal: AbortSignal }) => Promise<Value>, sizeBytes = 0) =>
    callStore({ destination: name, what, url, signal, secrets, sizeBytes }, (abortSignal) => work({ abortSignal }));
  const folderOf = (subject: Subject) => fill(under, subject).replace(/^\/+|\/+$/g, '');
  const keyOf = (parcel: Subject & { readonly fileName: string }) =>
    [folderOf(parcel), parcel.fileName].filter(Boolean).join('/');
  const addressOf = (key: string) => `${base}${key.split('/').map(encodeURIComponent).join('/')}`;
  /** An address on record may be anything; only one of this bucket has a key. */
  const keyAt = (address: string) => {
    if (address.startsWith(base)) return address.slice(base.length).split('/').map(decodeURIComponent).join('/');
    throw untrustedOrigin({ name, origins: new Set([base]) }, address);
  };

  const find = async (parcel: Parcel): Promise<Presence> => {
    const key = keyOf(parcel);
    const head = await run(`the question for ${key}`, (options) =>
      client.send(new HeadObjectCommand({ Bucket: bucket, Key: key, ChecksumMode: 'ENABLED' }), options),
    ).catch((error: unknown) => {
      if (isStatus(error, 404)) return null;
      throw error;
    });
    if (head === null) return { type: 'absent' };
    if (head.ContentLength !== undefined && head.ContentLength !== parcel.sizeBytes)
      return { type: 'different', why: `it has ${head.ContentLength} bytes, ours ${parcel.sizeBytes}` };
    const digest = await digestOf(head.ChecksumType === 'FULL_OBJECT' ? head.ChecksumSHA256 : undefined, key);
    if (digest === parcel.sha256) return { type: 'same', address: addressOf(key) };
    return { type: 'different', why: `its SHA-256 is ${digest.slice(0, 12)}…, ours ${parcel.sha256.slice(0, 12)}…` };
  };

  /** The checksum that the store has itself, else that of the bytes. */
  const digestOf = async (checksum: string | undefined, key: string): Promise<string> => {
    if (checksum !== undefined) return Buffer.from(checksum, 'base64').toString('hex');
    const hash = createHash('sha256');
    for await (const chunk of await readObject(key)) hash.update(chunk);
    return hash.digest('hex');
  };

  const readObject = async (key: string): Promise<AsyncIterable<Uint8Array>> => {
    const got = await run(key, (options) => client.send(new GetObjectCommand({ Bucket: bucket, Key: key }), options));
    return guarded(got.Body as unknown as AsyncIterable<Uint8Array>, url);
  };

  let ensured: Promise<void> | null = null;
  /** Once for all uploads, which begin side by side. */
  const ensureBucket = () => {
    ensured ??= makeIfMissing();
    return ensured;
  };
  const makeIfMissing = async (): Promise<void> => {
    try {
      await run(`the bucket ${bucket}`, (options) => client.send(new HeadBucketCommand({ Bucket: bucket }), options));
    } catch (error) {
      if (!isStatus(error, 404) || !settings.makeBucket)
        throw isStatus(error, 404) ? noBucket(name, bucket, error) : error;
      await run(`to make ${bucket}`, (options) => client.send(new CreateBucketCommand({ Bucket: bucket }), options));
    }
  };

  const deliver: Destination['deliver'] = async (parcel, { moved }) => {
    await ensureBucket();
    const key = keyOf(parcel);
    if (parcel.sizeBytes > wholeBytes) await putParts(parcel, key, moved);
    else await putWhole(parcel, key, moved);
    return addressOf(key);
  };

  const about = (parcel: Parcel, key: string) => ({
    Bucket: bucket,
    Key: key,
    ContentType: contentTypeOf(parcel.fileName),
    Metadata: { sha256: parcel.sha256, version: parcel.version },
  });

  const putWhole = async (parcel: Parcel, key: string, moved: (bytes: number) => void): Promise<void> => {
    const bytes = Buffer.allocUnsafeSlow(parcel.sizeBytes);
    await readSpan(parcel, 0, bytes);
    const input = {
      ...about(parcel, key),
      Body: bytes,
      ChecksumSHA256: base64(parcel.sha256),
      IfNoneMatch: '*',
    };
    await run(parcel.fileName, (options) => client.send(new PutObjectCommand(input), options), parcel.sizeBytes);
    moved(parcel.sizeBytes);
  };

  /** In parts; those that an upload cut short has left, and that have our digests, are not sent again. */
  const putParts = async (parcel: Parcel, key: string, moved: (bytes: number) => void): Promise<void> => {
    const open = await openUpload(key);
    const uploadId = open ?? (await beginUpload(parcel, key));
    const there: Awaited<ReturnType<typeof partsOf>> = open === null ? new Map() : await partsOf(key, open);
    const done: CompletedPart[] = [];
    const parts = partsIn(parcel);
    const next = parts.values();
    let hasFailed = false;
    // Each worker has one buffer, filled again and again: as much is in memory as is under way.
    const worker = async () => {
      const buffer = Buffer.allocUnsafeSlow(parts[0]?.sizeBytes ?? 0);
      for (const { number, start, sizeBytes } of next) {
        if (hasFailed) return;
        const bytes = buffer.subarray(0, sizeBytes);
        const checksum = await readSpan(parcel, start, bytes);
        const known = there.get(number);
        const etag = known?.checksum === checksum ? known.etag : await putPart(key, uploadId, number, bytes, checksum);
        done.push({ PartNumber: number, ETag: etag, ChecksumSHA256: checksum });
        moved(sizeBytes);
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
    const Parts = done.sort((a, b) => (a.PartNumber ?? 0) - (b.PartNumber ?? 0));
    const input = { Bucket: bucket, Key: key, UploadId: uploadId, MultipartUpload: { Parts }, IfNoneMatch: '*' };
    await run(parcel.fileName, (options) => client.send(new CompleteMultipartUploadCommand(input), options));
  };

  const putPart = async (key: string, uploadId: string, number: number, bytes: Buffer, checksum: string) => {
    const input = {
      Bucket: bucket,
      Key: key,
      UploadId: uploadId,
      PartNumber: number,
      Body: bytes,
      ChecksumSHA256: checksum,
    };
    const { ETag } = await run(`part ${number} of ${key}`, (options) =>
      client.send(new UploadPartCommand(input), options),
    );
    return ETag ?? '';
  };

  /** An upload of this object that was begun and never finished; the latest of several. */
  const openUpload = async (key: string): Promise<string | null> => {
    const input = { Bucket: bucket, Prefix: key };
    const listed = await run('open uploads', (options) =>
      client.send(new ListMultipartUploadsCommand(input), options),
    ).catch((error: unknown) => {
      // A small store may not list them: then every upload begins anew.
      if ([400, 404, 405, 501].some((status) => isStatus(error, status))) return null;
      throw error;
    });
    const Uploads = listed?.Uploads ?? [];
    const own = Uploads.filter((one) => one.Key === key);
    own.sort((a, b) => (a.Initiated?.getTime() ?? 0) - (b.Initiated?.getTime() ?? 0));
    return own.at(-1)?.UploadId ?? null;
  };

  const beginUpload = async (parcel: Parcel, key: string): Promise<string> => {
    const input = { ...about(parcel, key), ChecksumAlgorithm: 'SHA256' } as const;
    const begun = await run(parcel.fileName, (options) =>
      client.send(new CreateMultipartUploadCommand(input), options),
    );
    return begun.UploadId ?? '';
  };

  const partsOf = async (key: string, uploadId: string) => {
    const found = new Map<number, { readonly etag: string; readonly checksum: string | undefined }>();
    for (let marker: string | undefined; ; ) {
      const input = { Bucket: bucket, Key: key, UploadId: uploadId, PartNumberMarker: marker };
      const page = await run('its parts', (options) => client.send(new ListPartsCommand(input), options));
      for (const { PartNumber = 0, ETag = '', ChecksumSHA256 } of page.Parts ?? [])
        found.set(PartNumber, { etag: ETag, checksum: ChecksumSHA256 });
      if (page.IsTruncated !== true) return found;
      marker = page.NextPartNumberMarker;
    }
  };

  /** The list of digests of a release, united with what others have written, on the condition that it is still the same. */
  const point = async (all: readonly Parcel[]): Promise<Pointed[]> => {
    const [parcel] = all;
    if (parcel === undefined) return [];
    const own = all.map(({ fileName, sha256 }) => [fileName, sha256] as const);
    const moved = await changeSums(parcel, (sums) => new Map([...sums, ...own]));
    return [{ pointer: 'SHA256SUMS', from: null, moved }];
  };

  const changeSums = async (
    subject: Subject,
    change: (sums: ReadonlyMap<string, string>) => ReadonlyMap<string, string>,
  ): Promise<boolean> => {
    const key = keyOf({ ...subject, fileName: 'SHA256SUMS' });
    for (let attempt = 1; ; attempt++) {
      const before = await readText(key);
      const text = formatSums(change(parseSums(before?.text ?? '')));
      if (text === (before?.text ?? '')) return false;
      const condition = before === null ? { IfNoneMatch: '*' } : { IfMatch: before.etag };
      if (text === '') {
        await run(`to delete ${key}`, (options) =>
          client.send(new DeleteObjectCommand({ Bucket: bucket, Key: key }), options),
        );
        return true;
      }
      const input = { Bucket: bucket, Key: key, Body: text, ContentType: contentTypeOf(key), ...condition };
      try {
        await run(key, (options) => client.send(new PutObjectCommand(input), options));
        return true;
      } catch (error) {
        if (!isStatus(error, 412) || attempt >= 5) throw error;
      }
    }
  };

  const readText = async (key: string): Promise<{ text: string; etag: string } | null> => {
    try {
      const got = await run(key, (options) => client.send(new GetObjectCommand({ Bucket: bucket, Key: key }), options));
      return { text: (await got.Body?.transformToString()) ?? '', etag: got.ETag ?? '' };
    } catch (error) {
      if (isStatus(error, 404)) return null;
      throw error;
    }
  };

  const access: Destination['access'] = async (): Promise<Access> => {
    const isAnonymous = settings.credential.type === 'none';
    const common = { opens: 'unknown', skewMs: null } as const;
    try {
      await run(`the bucket ${bucket}`, (options) => client.send(new HeadBucketCommand({ Bucket: bucket }), options));
      return { credential: isAnonymous ? 'none' : 'accepted', why: null, ...common };
    } catch (error) {
      if (isStatus(error, 404) && settings.makeBucket)
        return { credential: 'accepted', why: `${bucket} will be made`, ...common };
      if (isStatus(error, 404)) throw noBucket(name, bucket, error);
      if (!(error instanceof BevelstoneError) || error.code !== 'CREDENTIAL_REFUSED') throw error;
      return { credential: 'refused', why: error.why, ...common };
    }
  };

  const nameState = async (subject: Subject) => {
    const input = { Bucket: bucket, Prefix: `${folderOf(subject)}/`, MaxKeys: 1 };
    const found = await run('the list of objects', (options) =>
      client.send(new ListObjectsV2Command(input), options),
    ).catch((error: unknown) => {
      if (isStatus(error, 404) && settings.makeBucket) return { KeyCount: 0 };
      throw error;
    });
    return { nameState: 'ours', versionState: (found.KeyCount ?? 0) > 0 ? 'there' : 'free', why: null } as const;
  };

  const withdraw: Destination['withdraw'] = async (subject, delivered) => {
    for (const { artifact } of delivered) {
      // Where it lies follows from the release; the address on record could name any other object.
      const input = { Bucket: bucket, Key: keyOf({ ...subject, fileName: artifact }) };
      await run(`to delete ${input.Key}`, (options) => client.send(new DeleteObjectCommand(input), options));
    }
    const names = new Set(delivered.map(({ artifact }) => artifact));
    await changeSums(subject, (sums) => new Map([...sums].filter(([one]) => !names.has(one))));
    return { how: 'deleted', limits: 'a bucket that keeps versions keeps the old one; copies that others took stay' };
  };

  return {
    name,
    speaks: 's3',
    url: base,
    access,
    nameState,
    find,
    deliver,
    open: (address) => readObject(keyAt(address)),
    isListed: async (parcel) => {
      const input = { Bucket: bucket, Key: keyOf(parcel) };
      try {
        await run(input.Key, (options) => client.send(new HeadObjectCommand(input), options));
        return true;
      } catch (error) {
        if (isStatus(error, 404)) return 'the object is not there yet';
        throw error;
      }
    },
    point,
    withdraw,
  };
}

/** The parts that a file is sent in, by number. */
function partsIn({
  sizeBytes,
}: Parcel): { readonly number: number; readonly start: number; readonly sizeBytes: number }[] {
  const size = Math.max(partBytes, Math.ceil(sizeBytes / mostParts / (1 << 20)) << 20);
  return Array.from({ length: Math.ceil(sizeBytes / size) }, (_, index) => {
    const start = index * size;
    return { number: index + 1, start, sizeBytes: Math.min(size, sizeBytes - start) };
  });
}

/** The library's own notices are for its developers; a release has nothing to do with them. */
function quietLibrary(): void {
  process.env['AWS_SDK_JS_NODE_VERSION_SUPPORT_WARNING_DISABLED'] = 'true';
}

function makeClient({ url, region, pathStyle, credential }: S3Settings): S3Client {
  quietLibrary();
  const client = new S3Client({
    endpoint: url,
    region: region ?? process.env['AWS_REGION'] ?? 'us-east-1',
    forcePathStyle: pathStyle,
    // Digests of ours go along with every request that has a body.
    requestChecksumCalculation: 'WHEN_REQUIRED',
    responseChecksumValidation: 'WHEN_REQUIRED',
    // Parts are small: asking first whether one may be sent takes longer than sending it.
    expectContinueHeader: false,
    maxAttempts: 4,
    requestHandler: { connectionTimeout: timeLimits.connectMs, socketTimeout: timeLimits.idleMs },
    ...credentialsOf(credential),
  });
  // The digest of a body is known already: signed as it stands, it is not taken a second time.
  client.middlewareStack.add(
    (next) => (args) => {
      const { headers } = args.request as { headers: Record<string, string> };
      const digest = headers['x-amz-checksum-sha256'];
      if (digest !== undefined) headers['x-amz-content-sha256'] = Buffer.from(digest, 'base64').toString('hex');
      return next(args);
    },
    { step: 'build', name: 'digestOnce', priority: 'low' },
  );
  return client;
}

/** Keys, `ACCESS:SECRET` as one text, the usual chain, or none at all. */
function credentialsOf(credential: Credential): Partial<ConstructorParameters<typeof S3Client>[0]> {
  if (credential.type === 'chain') return {};
  if (credential.type === 'keys') {
    const { accessKey, secretKey, session } = credential;
    const keys = { accessKeyId: accessKey, secretAccessKey: secretKey };
    return { credentials: session === null ? keys : { ...keys, sessionToken: session } };
  }
  if (credential.type === 'none') return { signer: { sign: async (request) => request } };
  const text = credential.type === 'bare' ? credential.secret : '';
  const colon = text.indexOf(':');
  if (colon > 0) return { credentials: { accessKeyId: text.slice(0, colon), secretAccessKey: text.slice(colon + 1) } };
  throw new BevelstoneError('CREDENTIAL_KIND', {
    message: 's3 has no use for a credential of this shape',
    why: 'an object store wants an access key and a secret key',
    fix: 'Write { access-key: REF, secret-key: REF }, a reference to ACCESS:SECRET, or chain',
    where: { file: 'bevelstone.yaml' },
  });
}

/** Where objects are for people and for clients without an account, with `/` behind. */
function addressBase({ url, bucket, pathStyle }: S3Settings): string {
  const endpoint = new URL(url.endsWith('/') ? url : `${url}/`);
  if (pathStyle) return `${endpoint.href}${bucket}/`;
  endpoint.hostname = `${bucket}.${endpoint.hostname}`;
  return endpoint.href;
}

function noBucket(destination: string, bucket: string, cause: unknown): BevelstoneError {
  return new BevelstoneError('DESTINATION_REFUSED', {
    message: `${destination} has no bucket ${bucket}`,
    why: 'a bucket has an owner and a policy, so none is made unless that is asked for',
    fix: 'Make it there, or set `make-bucket: true`',
    cause,
  });
}

function base64(hexadecimal: string): string {
  return Buffer.from(hexadecimal, 'hex').toString('base64');
}
