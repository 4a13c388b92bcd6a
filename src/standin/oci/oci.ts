import { createHash, type Hash, randomBytes } from 'node:crypto';
import type { FastifyInstance } from 'fastify';
import { objectOf, textOf } from '../../core/manifest/fields.ts';
import { digestOf, indexType, manifestType, needsOf } from '../../core/protocol/oci/oci.ts';
import { exists, readTextIfThere, removeFile } from '../../world/files.ts';
import { decodePart, Refusal } from '../refusal.ts';
import {
  baseOf,
  bodyOf,
  type Call,
  partsOf,
  type Service,
  type StandinService,
  sendFile,
  textOfBody,
} from '../service.ts';

/** What a repository holds beside its blobs. */
export type StoredRepository = {
  readonly tags: Readonly<Record<string, string>>;
  /** Media types of manifests by digest. */
  readonly manifests: Readonly<Record<string, string>>;
};

/** An upload that is open, with the digest of what has come. */
type Upload = { readonly repository: string; readonly file: string; sizeBytes: number; hash: Hash };
type Grant = { readonly secret: string; readonly until: number };

const prefix = '/v2/';
const namePattern = /^[a-z0-9]+(?:(?:\.|_|__|-+)[a-z0-9]+)*(?:\/[a-z0-9]+(?:(?:\.|_|__|-+)[a-z0-9]+)*)*$/;
const tagPattern = /^\w[\w.-]{0,127}$/;
const digestPattern = /^sha256:[0-9a-f]{64}$/;
const maxManifest = 4 << 20;

/** A registry at `/v2/` (OCI Distribution Specification 1.1), with tokens from `/oci-token`. */
export const oci: StandinService = {
  // The specification has it at the root of a host, whatever else is there.
  path: 'v2/',
  address: 'office',
  serve: serveOci,
  tell: tellOci,
  readPage: null,
  claims: () => false,
};

/** What is remembered while the server runs. */
type Memory = { readonly uploads: Map<string, Upload>; readonly grants: Map<string, Grant> };

type RegistryCall = Call & Memory;

/** A request for one repository. */
type RepositoryCall = RegistryCall & { readonly repository: string; readonly query: URLSearchParams };

function serveOci(server: FastifyInstance, service: Service): void {
  const memory: Memory = { uploads: new Map(), grants: new Map() };
  const all = ['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE'];
  server.route({
    method: 'GET',
    url: '/oci-token',
    handler: async (request, reply) => grant({ ...service, ...memory, request, reply }),
  });
  server.route({
    method: all,
    url: `${prefix}*`,
    handler: (request, reply) => route({ ...service, ...memory, request, reply }),
  });
}

/** Gives a token for a scope in exchange for one of the server's own ("Token Authentication"). */
function grant({ guard, request, grants, now }: RegistryCall): unknown {
  const own = guard.tokenOf(request);
  if (request.headers.authorization !== undefined && own === null)
    throw new Refusal(401, 'unauthorized: this token is unknown');
  const token = randomBytes(24).toString('base64url');
  grants.set(token, { secret: own?.secret ?? '', until: now().getTime() + 300_000 });
  return { token, expires_in: 300 };
}

/** A grant stands for the token that it was given for; a token may also be sent itself. */
function authorise({ request, grants, now, guard }: RegistryCall, repository: string, isWrite: boolean): void {
  const bearer = /^Bearer (.+)$/.exec(request.headers.authorization ?? '')?.[1] ?? '';
  const known = grants.get(bearer);
  const isGranted = known !== undefined && known.until > now().getTime();
  const secret = isGranted ? known.secret : null;
  const token =
    secret === null ? guard.tokenOf(request) : (guard.tokens.find((token) => token.secret === secret) ?? null);
  if (!isWrite && !guard.isPrivate) return;
  const scope = repository === '' ? '' : `,scope="repository:${repository}:${isWrite ? 'pull,push' : 'pull'}"`;
  const challenge = {
    'www-authenticate': `Bearer realm="${baseOf(request, '/oci-token')}",service="stand-in"${scope}`,
  };
  if (token === null && !isGranted) throw new Refusal(401, 'unauthorized: authentication is needed', challenge);
  if (token === null) throw new Refusal(401, 'unauthorized: anonymous access is not enough', challenge);
  if (!isWrite) return;
  if (token.may === 'read') throw new Refusal(403, 'denied: this token may only read');
  if (token.only !== null && repository.split('/').at(-1) !== token.only)
    throw new Refusal(403, `denied: this token is for ${token.only} alone`);
}

async function route(call: RegistryCall): Promise<unknown> {
  const { request, reply, guard } = call;
  const { parts, query } = partsOf(request, prefix);
  const path = parts.map(decodePart).join('/');
  reply.header('docker-distribution-api-version', 'registry/2.0');
  if (path === '') {
    authorise(call, '', guard.isPrivate);
    return {};
  }
  const found = /^(.+?)\/(manifests|blobs\/uploads|blobs|tags\/list|referrers)(?:\/(.*))?$/.exec(path);
  const [, repository = '', area = '', rest = ''] = found ?? [];
  if (!namePattern.test(repository)) throw new Refusal(400, 'name_invalid: this is not a repository name');
  authorise(call, repository, request.method !== 'GET' && request.method !== 'HEAD');
  const own: RepositoryCall = { ...call, repository, query };
  if (area === 'blobs/uploads') return upload(own, rest);
  if (area === 'blobs') return blob(own, rest);
  if (area === 'manifests') return manifest(own, rest);
  return area === 'tags/list' ? listTags(own) : referrers(own, rest);
}

async function upload(call: RepositoryCall, id: string) {
  const { request, reply, repository, uploads, store } = call;
  if (request.method === 'POST') return begin(call);
  const open = uploads.get(id);
  if (open === undefined || open.repository !== repository)
    throw new Refusal(404, 'blob_upload_unknown: no such upload');
  if (request.method === 'DELETE') {
    uploads.delete(id);
    await removeFile(open.file);
    return reply.code(204).send();
  }
  // One after the other: an interrupted chunk is dropped before its offset is reported.
  return store.alone(id, async () => {
    if (request.method === 'PATCH' || request.method === 'PUT') await receive(call, open);
    if (request.method === 'PUT') return finish(call, id, open);
    reply.header('location', `${prefix}${repository}/blobs/uploads/${id}`);
    reply.header('range', `0-${Math.max(0, open.sizeBytes - 1)}`).header('docker-upload-uuid', id);
    return reply.code(request.method === 'GET' ? 204 : 202).send('');
  });
}

async function begin(call: RepositoryCall) {
  const { query, store, repository, reply, maxBytes, uploads } = call;
  const [mount, from] = [query.get('mount'), query.get('from')];
  if (mount !== null && from !== null && (await exists(store.place('links', from, mount)))) {
    await link(call, mount);
    return reply
      .code(201)
      .header('location', `${prefix}${repository}/blobs/${mount}`)
      .header('docker-content-digest', mount)
      .send('');
  }
  const id = randomBytes(16).toString('hex');
  const { file } = await store.receive(nothing(), { maxBytes });
  uploads.set(id, { repository, file, sizeBytes: 0, hash: createHash('sha256') });
  reply.header('location', `${prefix}${repository}/blobs/uploads/${id}`).header('range', '0-0');
  return reply.code(202).header('docker-upload-uuid', id).send('');
}

/** Appends a chunk; one that does not begin where the last ended is refused ("Pushing a blob in chunks"). */
async function receive({ request, faults, maxBytes, store }: RepositoryCall, open: Upload): Promise<void> {
  const start = /^(\d+)-(\d+)$/.exec(request.headers['content-range'] ?? '')?.[1];
  if (start !== undefined && Number(start) !== open.sizeBytes) throw new Refusal(416, 'this chunk is not the next one');
  const room = faults.take('disk-full', request)?.room ?? Number.POSITIVE_INFINITY;
  const before = open.sizeBytes;
  const hash = open.hash.copy();
  const limited = async function* () {
    let seen = before;
    for await (const chunk of bodyOf(request)) {
      seen += chunk.length;
      if (seen > maxBytes) throw new Refusal(413, `size_invalid: more than ${maxBytes} bytes are not taken`);
      if (seen - before > room) throw new Refusal(507, 'there is no room left');
      hash.update(chunk);
      yield chunk;
    }
  };
  // What came of a chunk that was cut is dropped: the client asks how far it came.
  open.sizeBytes = await store.append(open.file, limited());
  open.hash = hash;
}

async function finish(call: RepositoryCall, id: string, open: Upload) {
  const { store, uploads, repository, reply, query } = call;
  const digest = query.get('digest') ?? '';
  if (!digestPattern.test(digest)) throw new Refusal(400, 'digest_invalid: name a SHA-256');
  if (`sha256:${open.hash.copy().digest('hex')}` !== digest)
    throw new Refusal(400, 'digest_invalid: the content has another digest');
  await store.flush(open.file);
  await store.commit({ file: open.file, sizeBytes: open.sizeBytes, digests: {} }, store.place('blobs', digest));
  uploads.delete(id);
  await link(call, digest);
  reply.header('location', `${prefix}${repository}/blobs/${digest}`).header('docker-content-digest', digest);
  return reply.code(201).send('');
}

/** A blob is seen in the repositories that it was put into. */
async function link({ store, repository }: RepositoryCall, digest: string): Promise<void> {
  await store.writeJson({}, 'links', repository, digest);
}

async function blob(call: RepositoryCall, digest: string) {
  const { store, repository, request, reply } = call;
  if (!digestPattern.test(digest) || !(await exists(store.place('links', repository, digest))))
    throw new Refusal(404, 'blob_unknown: no such blob');
  if (request.method === 'DELETE') {
    await removeFile(store.place('links', repository, digest));
    return reply.code(202).send('');
  }
  reply.header('docker-content-digest', digest);
  return sendFile(call, store.place('blobs', digest));
}

async function manifest(call: RepositoryCall, reference: string) {
  const { request, store, repository, reply } = call;
  if (!digestPattern.test(reference) && !tagPattern.test(reference))
    throw new Refusal(400, 'manifest_invalid: no such reference');
  if (request.method === 'PUT') return store.alone(repository, () => putManifest(call, reference));
  const stored = await repositoryAt(call);
  const digest = stored.tags[reference] ?? reference;
  const type = stored.manifests[digest];
  if (type === undefined) throw new Refusal(404, 'manifest_unknown: no such manifest');
  if (request.method === 'DELETE') {
    await store.alone(repository, async () => {
      const now = await repositoryAt(call);
      const isDigest = digestPattern.test(reference);
      const tags = Object.entries(now.tags).filter(([tag, value]) =>
        isDigest ? value !== reference : tag !== reference,
      );
      const manifests = Object.entries(now.manifests).filter(([value]) => !isDigest || value !== reference);
      await store.writeJson(
        { tags: Object.fromEntries(tags), manifests: Object.fromEntries(manifests) },
        'repositories',
        repository,
      );
    });
    return reply.code(202).send('');
  }
  const text = (await readTextIfThere(store.place('blobs', digest))) ?? '';
  reply.header('docker-content-digest', digest).header('content-length', Buffer.byteLength(text)).type(type);
  return reply.send(request.method === 'HEAD' ? '' : text);
}

async function putManifest(call: RepositoryCall, reference: string) {
  const { request, repository, store, maxBytes, reply } = call;
  const text = await textOfBody(request, maxManifest);
  const type = request.headers['content-type'] ?? '';
  const digest = digestOf(text);
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw new Refusal(400, 'manifest_invalid: it is no JSON');
  }
  const needs = needsOf(value);
  const own = textOf(objectOf(value)['mediaType']);
  if (needs === null || ![manifestType, indexType].includes(type) || (own !== null && own !== type))
    throw new Refusal(400, 'manifest_invalid: it is not a manifest of this type');
  if (digestPattern.test(reference) && reference !== digest)
    throw new Refusal(400, 'digest_invalid: it has another digest');
  const stored = await repositoryAt(call);
  for (const blob of needs.blobs)
    if (!(await exists(store.place('links', repository, blob))))
      throw new Refusal(404, `manifest_blob_unknown: ${blob}`);
  for (const manifest of needs.manifests)
    if (stored.manifests[manifest] === undefined) throw new Refusal(404, `manifest_unknown: ${manifest}`);
  const received = await store.receive(once(text), { maxBytes });
  await store.commit(received, store.place('blobs', digest));
  const tags = digestPattern.test(reference) ? stored.tags : { ...stored.tags, [reference]: digest };
  await store.writeJson({ tags, manifests: { ...stored.manifests, [digest]: type } }, 'repositories', repository);
  const subject = textOf(objectOf(objectOf(value)['subject'])['digest']);
  if (subject !== null) reply.header('oci-subject', subject);
  reply.header('location', `${prefix}${repository}/manifests/${digest}`).header('docker-content-digest', digest);
  return reply.code(201).send('');
}

async function listTags({ store, repository, query }: RepositoryCall): Promise<unknown> {
  const stored = await store.readJson<StoredRepository>('repositories', repository);
  if (stored === null) throw new Refusal(404, 'name_unknown: no such repository');
  const all = Object.keys(stored.tags).sort();
  const after = query.get('last');
  const tags = all.filter((tag) => after === null || tag > after).slice(0, Number(query.get('n') ?? all.length));
  return { name: repository, tags };
}

async function referrers(call: RepositoryCall, digest: string): Promise<unknown> {
  const { query, store, reply } = call;
  const stored = await repositoryAt(call);
  const wanted = query.get('artifactType');
  const manifests: unknown[] = [];
  for (const [manifest, mediaType] of Object.entries(stored.manifests)) {
    const text = (await readTextIfThere(store.place('blobs', manifest))) ?? '{}';
    const value = objectOf(JSON.parse(text));
    if (objectOf(value['subject'])['digest'] !== digest) continue;
    const { artifactType, annotations } = value;
    if (wanted !== null && artifactType !== wanted) continue;
    manifests.push({ mediaType, digest: manifest, size: Buffer.byteLength(text), artifactType, annotations });
  }
  if (wanted !== null) reply.header('oci-filters-applied', 'artifactType');
  return reply.type(indexType).send(JSON.stringify({ schemaVersion: 2, mediaType: indexType, manifests }));
}

async function repositoryAt({ store, repository }: RepositoryCall): Promise<StoredRepository> {
  return (await store.readJson<StoredRepository>('repositories', repository)) ?? { tags: {}, manifests: {} };
}

/** A refusal as registries tell it ("Error Codes"): the code before the colon, the sentence behind it. */
function tellOci(message: string): { readonly type: string; readonly body: string } {
  const [, code = 'unsupported', text = message] = /^(\w+): (.*)$/s.exec(message) ?? [];
  const errors = [{ code: code.toUpperCase(), message: text, detail: null }];
  return { type: 'application/json', body: JSON.stringify({ errors }) };
}

async function* nothing(): AsyncGenerator<Uint8Array> {}

async function* once(text: string): AsyncGenerator<Uint8Array> {
  yield Buffer.from(text);
}
