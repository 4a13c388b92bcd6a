import { createHash, randomBytes } from 'node:crypto';
import { Readable } from 'node:stream';
import { XMLParser } from 'fast-xml-parser';
import type { FastifyInstance, FastifyRequest } from 'fastify';
import { objectOf, objectsOf } from '../../core/manifest/fields.ts';
import { computeSignature, parseSignature } from '../../core/protocol/s3/signature-v4.ts';
import { escapeHtml } from '../../core/text/html.ts';
import { readBytes } from '../../world/file-bytes.ts';
import { exists, makeFolder, readBytesIfThere, removeFile, removeFolder } from '../../world/files.ts';
import { decodePart, Refusal } from '../refusal.ts';
import {
  bodyOf,
  type Call,
  partsOf,
  roomOf,
  type Service,
  type Span,
  type StandinService,
  sendContent,
  textOfBody,
} from '../service.ts';
import { namesIn, type Received } from '../store.ts';

/** What is remembered of an object. */
export type StoredObject = {
  readonly key: string;
  readonly etag: string;
  readonly sizeBytes: number;
  readonly type: string;
  readonly modified: string;
  readonly metadata: Readonly<Record<string, string>>;
  /** SHA-256 in base64; null for what came in parts. */
  readonly sha256: string | null;
  /** Sizes of its parts, which lie one beside the other. */
  readonly parts: readonly number[];
};

/** Digests in hexadecimal. */
type Part = { readonly number: number; readonly sizeBytes: number; readonly md5: string; readonly sha256: string };
type Upload = {
  readonly key: string;
  readonly type: string;
  readonly metadata: Readonly<Record<string, string>>;
  readonly initiated: string;
};

const prefix = '/s3/';
const bucketPattern = /^[a-z0-9][a-z0-9.-]{1,61}[a-z0-9]$/;
const smallestPart = 5 << 20;
const skewMs = 15 * 60_000;
const parser = new XMLParser({ parseTagValue: false });

/** An object store below `/s3/`, buckets in the path. A token's secret is the secret key; the access key is any. */
export const s3: StandinService = {
  path: 's3/',
  address: 's3/',
  serve: serveS3,
  tell: tellS3,
  readPage: null,
  // Clients that know a host and no path in front of the bucket find the store by how they sign.
  claims: (authorization) => authorization.startsWith('AWS4-'),
};

function serveS3(server: FastifyInstance, service: Service): void {
  server.route({
    method: ['GET', 'HEAD', 'PUT', 'POST', 'DELETE'],
    url: `${prefix}*`,
    handler: (request, reply) => route({ ...service, request, reply }),
  });
}

/** A request for a bucket, or for an object of it; then `key` is not empty. */
type StoreCall = Call & { readonly bucket: string; readonly key: string; readonly query: URLSearchParams };

async function route(call: Call): Promise<unknown> {
  const { request, reply, store } = call;
  const { parts, query } = partsOf(request, prefix);
  const [bucket = '', ...rest] = parts.map(decodePart);
  authorise(call, rest[0] ?? '');
  reply.type('application/xml').header('x-amz-request-id', randomBytes(8).toString('hex'));
  if (bucket === '') return listBuckets(call);
  if (!bucketPattern.test(bucket)) throw new Refusal(400, 'InvalidBucketName: no name for a bucket');
  const own: StoreCall = { ...call, bucket, key: rest.join('/'), query };
  if (own.key === '') return bucketRequest(own);
  if (!(await exists(store.place(bucket)))) throw new Refusal(404, 'NoSuchBucket: there is no such bucket');
  const upload = query.get('uploadId');
  if (upload !== null) return uploadRequest(own, upload);
  if (request.method === 'POST' && query.has('uploads')) return begin(own);
  if (request.method === 'PUT') return put(own);
  if (request.method !== 'DELETE') return get(own);
  await removeFolder(store.place(bucket, 'objects', own.key));
  return reply.code(204).send();
}

/** Reading is open unless the stand-in is private; everything else is signed by a token that may. */
function authorise({ request, guard, now }: Call, name: string): void {
  const isRead = request.method === 'GET' || request.method === 'HEAD';
  const signature = parseSignature(request.headers.authorization);
  if (signature === null) {
    if (isRead && !guard.isPrivate) return;
    throw new Refusal(403, 'AccessDenied: the request is not signed');
  }
  const [path = '', query = ''] = request.originalUrl.split('?', 2);
  const headers = Object.fromEntries(
    Object.entries(request.headers).map(([name, value]) => [name, String(value ?? '')]),
  );
  const signed = { method: request.method, path, query, headers };
  const time = /^(\d{4})(\d\d)(\d\d)T(\d\d)(\d\d)(\d\d)Z$/.exec(headers['x-amz-date'] ?? '')?.slice(1);
  const at = time === undefined ? 0 : Date.parse(`${time.slice(0, 3).join('-')}T${time.slice(3).join(':')}Z`);
  if (Math.abs(at - now().getTime()) > skewMs)
    throw new Refusal(403, 'RequestTimeTooSkewed: the clock of the request is more than 15 minutes off');
  const token = guard.tokens.find((token) => computeSignature(signed, signature, token.secret) === signature.signature);
  if (token === undefined) throw new Refusal(403, 'SignatureDoesNotMatch: the signature is not that of a known key');
  if (isRead) return;
  if (token.may === 'read') throw new Refusal(403, 'AccessDenied: this key may only read');
  if (token.only !== null && token.only !== name)
    throw new Refusal(403, `AccessDenied: this key is for ${token.only} alone`);
}

async function listBuckets({ store, reply }: Call) {
  const items = (await namesIn(store.folder)).map((name) => `<Bucket><Name>${escapeHtml(name)}</Name></Bucket>`);
  return reply.send(xml('ListAllMyBucketsResult', `<Buckets>${items.sort().join('')}</Buckets>`));
}

async function bucketRequest(call: StoreCall) {
  const { store, bucket, request, reply, query } = call;
  const isThere = await exists(store.place(bucket));
  if (request.method === 'PUT') {
    if (isThere) throw new Refusal(409, 'BucketAlreadyOwnedByYou: it is there already');
    await makeFolder(store.place(bucket));
    return reply.send('');
  }
  if (!isThere) throw new Refusal(404, 'NoSuchBucket: there is no such bucket');
  if (request.method === 'HEAD') return reply.send('');
  if (query.has('location')) return reply.send(xml('LocationConstraint', ''));
  if (query.has('uploads')) return listUploads(call, query.get('prefix') ?? '');
  return listObjects(call);
}

/** A request for an upload in parts that was begun. */
async function uploadRequest(call: StoreCall, id: string): Promise<unknown> {
  const { request, reply, store, bucket, query } = call;
  if (request.method === 'POST') return complete(call, id);
  if (request.method === 'PUT') return putPart(call, id, Number(query.get('partNumber')));
  if (request.method === 'GET') return listParts(call, id);
  if (request.method !== 'DELETE') return get(call);
  await removeFolder(store.place(bucket, 'uploads', id));
  return reply.code(204).send();
}

async function put(call: StoreCall) {
  const { store, bucket, key, reply } = call;
  const received = await receive(call);
  return store.alone(`${bucket}/${key}`, async () => {
    try {
      await checkCondition(call);
      const object = objectFrom(call, received);
      await write(call, object, received);
      return reply.header('etag', object.etag).send('');
    } finally {
      await store.discard(received);
    }
  });
}

/** Takes a body in and compares it with every digest that the request names. */
async function receive(call: StoreCall, isFlushed = true): Promise<Received> {
  const { request, store, maxBytes } = call;
  const stated = String(request.headers['x-amz-content-sha256'] ?? '');
  if (stated.startsWith('STREAMING-')) throw new Refusal(501, 'NotImplemented: send the body as it is');
  const received = await store.receive(bodyOf(request), {
    digests: ['md5', 'sha256'],
    maxBytes,
    isFlushed,
    ...roomOf(call),
  });
  const { sha256 = '', md5 = '' } = received.digests;
  const isWrong =
    (/^[0-9a-f]{64}$/.test(stated) && stated !== sha256) ||
    differs(request.headers['x-amz-checksum-sha256'], sha256) ||
    differs(request.headers['content-md5'], md5);
  if (!isWrong) return received;
  await store.discard(received);
  throw new Refusal(400, 'BadDigest: the digest of the request is not that of its body');
}

/** A condition on an object that is being written ("Conditional writes"). */
async function checkCondition({ store, bucket, key, lacks, request: { headers } }: StoreCall): Promise<void> {
  const isConditional = headers['if-none-match'] !== undefined || headers['if-match'] !== undefined;
  if (isConditional && lacks.has('conditional-writes'))
    throw new Refusal(501, 'NotImplemented: a header that you sent is not supported');
  const known = await store.readJson<StoredObject>(bucket, 'objects', key, 'about');
  if (headers['if-none-match'] === '*' && known !== null)
    throw new Refusal(412, 'PreconditionFailed: it is there already');
  const match = headers['if-match'];
  if (match !== undefined && known?.etag !== match)
    throw new Refusal(412, 'PreconditionFailed: it was changed meanwhile');
}

async function write({ store, bucket }: StoreCall, object: StoredObject, received: Received): Promise<void> {
  await store.replace(received, store.place(bucket, 'objects', object.key, partName(0)));
  await store.writeJson(object, bucket, 'objects', object.key, 'about');
}

async function get(call: StoreCall) {
  const { store, bucket, key, reply, request } = call;
  const { object, bytes } = await store.alone(`${bucket}/${key}`, () => readWhole(call));
  if (object === null) throw new Refusal(404, 'NoSuchKey: there is no such object');
  reply.header('etag', object.etag);
  for (const [name, value] of Object.entries(object.metadata)) reply.header(`x-amz-meta-${name}`, value);
  if (
    request.headers['x-amz-checksum-mode'] === 'ENABLED' &&
    object.sha256 !== null &&
    request.headers.range === undefined
  )
    reply.header('x-amz-checksum-sha256', object.sha256).header('x-amz-checksum-type', 'FULL_OBJECT');
  const read = (start: number, end: number) =>
    Readable.from(bytes === null ? readParts(call, object, { start, end }) : [bytes.subarray(start, end + 1)]);
  const content = { sizeBytes: object.sizeBytes, modified: new Date(object.modified), read };
  return sendContent(call, content, object.type);
}

/** The largest object that is read at once: only small ones are ever written anew. */
const maxWholeBytes = 32 << 20;

/** What is remembered of an object, and its bytes if it is small: both of one reading, whatever is written meanwhile. */
async function readWhole({ store, bucket, key }: StoreCall) {
  const object = await store.readJson<StoredObject>(bucket, 'objects', key, 'about');
  const isSmall = object !== null && object.parts.length === 1 && object.sizeBytes < maxWholeBytes;
  const bytes = isSmall ? await readBytesIfThere(store.place(bucket, 'objects', key, partName(0))) : null;
  return { object, bytes };
}

/** The bytes of an object from one to another, over as many parts as that takes. */
async function* readParts({ store, bucket }: StoreCall, { key, parts }: StoredObject, { start, end }: Span) {
  let at = 0;
  for (const [index, size] of parts.entries()) {
    const [from, to] = [Math.max(start - at, 0), Math.min(end - at, size - 1)];
    const place = store.place(bucket, 'objects', key, partName(index));
    if (from <= to) yield* readBytes(place, { start: from, end: to });
    at += size;
  }
}

async function begin({ key, request, now, store, bucket, reply }: StoreCall) {
  const id = randomBytes(16).toString('hex');
  const upload: Upload = {
    key,
    type: request.headers['content-type'] ?? 'application/octet-stream',
    metadata: metadataOf(request.headers),
    initiated: now().toISOString(),
  };
  await store.writeJson(upload, bucket, 'uploads', id, 'about');
  return reply.send(
    xml(
      'InitiateMultipartUploadResult',
      `<Bucket>${bucket}</Bucket><Key>${escapeHtml(key)}</Key><UploadId>${id}</UploadId>`,
    ),
  );
}

async function putPart(call: StoreCall, id: string, number: number) {
  const { bucket, store, reply } = call;
  if (!(number >= 1 && number <= 10_000)) throw new Refusal(400, 'InvalidArgument: parts are numbered from 1 to 10000');
  await uploadAt(call, id);
  const received = await receive(call, false);
  const { sha256 = '', md5 = '' } = received.digests;
  const part: Part = { number, sizeBytes: received.sizeBytes, md5, sha256 };
  const before = await partsAt(call, id);
  await store.replace(received, store.place(bucket, 'uploads', id, nameOfPart(part)));
  for (const item of before)
    if (item.number === number && item.sha256 !== part.sha256)
      await removeFile(store.place(bucket, 'uploads', id, nameOfPart(item)));
  return reply.header('etag', etagOf(part)).header('x-amz-checksum-sha256', base64(sha256)).send('');
}

async function complete(call: StoreCall, id: string) {
  const { bucket, store, key } = call;
  const upload = await uploadAt(call, id);
  const parts = await namedParts(call, id);
  return store.alone(`${bucket}/${key}`, async () => {
    await checkCondition(call);
    for (const [index, part] of parts.entries())
      await store.move(
        store.place(bucket, 'uploads', id, nameOfPart(part)),
        store.place(bucket, 'objects', key, partName(index)),
      );
    const { etag } = await writeJoined(call, upload, parts);
    await removeFolder(store.place(bucket, 'uploads', id));
    return call.reply.send(
      xml(
        'CompleteMultipartUploadResult',
        `<Bucket>${bucket}</Bucket><Key>${escapeHtml(key)}</Key><ETag>${escapeHtml(etag)}</ETag>`,
      ),
    );
  });
}

/** The parts that the request names, in their order. */
async function namedParts(call: StoreCall, id: string): Promise<Part[]> {
  const document = parser.parse(await textOfBody(call.request)) as Record<string, unknown>;
  const wanted = objectOf(document['CompleteMultipartUpload'])['Part'];
  const named = objectsOf(Array.isArray(wanted) ? wanted : [wanted]);
  const there = await partsAt(call, id);
  const parts: Part[] = [];
  for (const [index, value] of named.entries()) {
    const part = there.find((part) => part.number === Number(value['PartNumber']) && etagOf(part) === value['ETag']);
    if (part === undefined) throw new Refusal(400, 'InvalidPart: a part is missing or another');
    if (part.number <= (parts.at(-1)?.number ?? 0))
      throw new Refusal(400, 'InvalidPartOrder: parts go in ascending order');
    if (index < named.length - 1 && part.sizeBytes < smallestPart)
      throw new Refusal(400, 'EntityTooSmall: a part is too small');
    parts.push(part);
  }
  return parts;
}

/** Writes down an object that came in parts. */
async function writeJoined({ store, bucket, key, now }: StoreCall, upload: Upload, parts: readonly Part[]) {
  const all = createHash('md5');
  for (const { md5 } of parts) all.update(Buffer.from(md5, 'hex'));
  const sizes = parts.map(({ sizeBytes }) => sizeBytes);
  const object: StoredObject = {
    key,
    etag: `"${all.digest('hex')}-${parts.length}"`,
    sizeBytes: sizes.reduce((sum, size) => sum + size, 0),
    type: upload.type,
    metadata: upload.metadata,
    modified: now().toISOString(),
    sha256: null,
    parts: sizes,
  };
  await store.writeJson(object, bucket, 'objects', key, 'about');
  return object;
}

async function listParts(call: StoreCall, id: string) {
  const { bucket, key, reply } = call;
  await uploadAt(call, id);
  const parts = await partsAt(call, id);
  const items = parts.map(
    (part) =>
      `<Part><PartNumber>${part.number}</PartNumber><ETag>${escapeHtml(etagOf(part))}</ETag><Size>${part.sizeBytes}</Size><ChecksumSHA256>${base64(part.sha256)}</ChecksumSHA256></Part>`,
  );
  const head = `<Bucket>${bucket}</Bucket><Key>${escapeHtml(key)}</Key><UploadId>${id}</UploadId><IsTruncated>false</IsTruncated>`;
  return reply.send(xml('ListPartsResult', head + items.join('')));
}

async function listUploads(call: StoreCall, start: string) {
  const { store, bucket, reply } = call;
  const items: string[] = [];
  for (const id of await namesIn(store.place(bucket, 'uploads'))) {
    const { key, initiated } = await uploadAt(call, id);
    if (key.startsWith(start))
      items.push(
        `<Upload><Key>${escapeHtml(key)}</Key><UploadId>${id}</UploadId><Initiated>${initiated}</Initiated></Upload>`,
      );
  }
  return reply.send(
    xml('ListMultipartUploadsResult', `<Bucket>${bucket}</Bucket><IsTruncated>false</IsTruncated>${items.join('')}`),
  );
}

async function listObjects({ query, store, bucket, reply }: StoreCall) {
  const [start, delimiter] = [query.get('prefix') ?? '', query.get('delimiter') ?? ''];
  const common = new Set<string>();
  const items: string[] = [];
  for (const key of (await namesIn(store.place(bucket, 'objects'))).filter((key) => key.startsWith(start)).sort()) {
    const end = delimiter === '' ? -1 : key.indexOf(delimiter, start.length);
    if (end !== -1) {
      common.add(key.slice(0, end + 1));
      continue;
    }
    const object = await store.readJson<StoredObject>(bucket, 'objects', key, 'about');
    if (object === null) continue;
    items.push(
      `<Contents><Key>${escapeHtml(key)}</Key><LastModified>${object.modified}</LastModified><ETag>${escapeHtml(object.etag)}</ETag><Size>${object.sizeBytes}</Size><StorageClass>STANDARD</StorageClass></Contents>`,
    );
  }
  const folders = [...common].map(
    (prefix) => `<CommonPrefixes><Prefix>${escapeHtml(prefix)}</Prefix></CommonPrefixes>`,
  );
  const head = `<Name>${bucket}</Name><Prefix>${escapeHtml(start)}</Prefix><KeyCount>${items.length + folders.length}</KeyCount><MaxKeys>1000</MaxKeys><IsTruncated>false</IsTruncated>`;
  return reply.send(xml('ListBucketResult', head + items.join('') + folders.join('')));
}

/** The parts of an upload that came in whole, by number. What is known of one is its name: a record of its own could be torn. */
async function partsAt({ store, bucket }: StoreCall, id: string): Promise<Part[]> {
  const parts = (await namesIn(store.place(bucket, 'uploads', id))).flatMap((name): Part[] => {
    const [, number, size, sha256 = '', md5 = ''] = /^part (\d+) (\d+) ([0-9a-f]{64}) ([0-9a-f]{32})$/.exec(name) ?? [];
    if (number === undefined) return [];
    return [{ number: Number(number), sizeBytes: Number(size), md5, sha256 }];
  });
  return parts.sort((a, b) => a.number - b.number);
}

async function uploadAt({ store, bucket }: StoreCall, id: string): Promise<Upload> {
  const found = await store.readJson<Upload>(bucket, 'uploads', id, 'about');
  if (found === null) throw new Refusal(404, 'NoSuchUpload: there is no such upload');
  return found;
}

/** A refusal as object stores tell it: the code before the colon, the sentence behind it. */
function tellS3(message: string): { readonly type: string; readonly body: string } {
  const [, code = 'InternalError', text = message] = /^(\w+): (.*)$/s.exec(message) ?? [];
  const inside = `<Code>${code}</Code><Message>${escapeHtml(text)}</Message>`;
  return { type: 'application/xml', body: `<?xml version="1.0" encoding="UTF-8"?>\n<Error>${inside}</Error>` };
}

function objectFrom({ request: { headers }, key, now }: StoreCall, received: Received): StoredObject {
  return {
    key,
    etag: etagOf({ md5: received.digests['md5'] ?? '' }),
    sizeBytes: received.sizeBytes,
    type: headers['content-type'] ?? 'application/octet-stream',
    modified: now().toISOString(),
    metadata: metadataOf(headers),
    sha256: base64(received.digests['sha256'] ?? ''),
    parts: [received.sizeBytes],
  };
}

/** The entity tag of what came in one piece is its MD5: clients compare it. */
function etagOf({ md5 }: Pick<Part, 'md5'>): string {
  return `"${md5}"`;
}

/** Name of a part's file while its upload is open. */
function nameOfPart({ number, sizeBytes, sha256, md5 }: Part): string {
  return `part ${number} ${sizeBytes} ${sha256} ${md5}`;
}

/** Name of a part's file in an object's folder. */
function partName(index: number): string {
  return `data ${index}`;
}

function metadataOf(headers: FastifyRequest['headers']): Record<string, string> {
  const start = 'x-amz-meta-';
  return Object.fromEntries(
    Object.entries(headers).flatMap(([name, value]) =>
      name.startsWith(start) ? [[name.slice(start.length), String(value)]] : [],
    ),
  );
}

function differs(stated: unknown, hexadecimal: string): boolean {
  return typeof stated === 'string' && stated !== base64(hexadecimal);
}

function base64(hexadecimal: string): string {
  return Buffer.from(hexadecimal, 'hex').toString('base64');
}

function xml(name: string, inside: string): string {
  return `<?xml version="1.0" encoding="UTF-8"?>\n<${name} xmlns="http://s3.amazonaws.com/doc/2006-03-01/">${inside}</${name}>`;
}
