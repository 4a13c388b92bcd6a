import { objectOf } from '../../core/manifest/fields.ts';
import { integrityOf, packagePath, tarballUrl } from '../../core/protocol/npm-registry/npm-document.ts';
import { isVersion } from '../../core/version/version.ts';
import { decodePart, Refusal } from '../refusal.ts';
import {
  askUpstream,
  baseOf,
  bodyOf,
  type Call,
  jsonOfBody,
  partsOf,
  passOn,
  plainService,
  roomOf,
  type StandinService,
  sendFile,
} from '../service.ts';
import type { Received } from '../store.ts';
import { readNpmPage } from './npm-page.ts';
import { PublishBody } from './npm-publish-body.ts';
import type { StoredPackage } from './stored-package.ts';

const prefix = '/node/';
const namePattern = /^(?:@[a-z0-9~-][a-z0-9._~-]*\/)?[a-z0-9~-][a-z0-9._~-]*$/;
/** How long a version may still be unpublished. */
const regretMs = 72 * 3_600_000;

/** The npm client's protocol below `/node/`. */
export const npmRegistry: StandinService = {
  ...plainService,
  readPage: readNpmPage,
  path: 'node/',
  address: 'node/',
  serve: (server, service) => {
    server.route({
      method: ['GET', 'HEAD', 'PUT', 'DELETE'],
      url: `${prefix}*`,
      handler: (request, reply) => route({ ...service, request, reply }),
    });
  },
};

async function route(call: Call): Promise<unknown> {
  const { request, guard, reply, store } = call;
  const { parts, query } = partsOf(request, prefix);
  const decoded = parts.map(decodePart);
  if (decoded[0] === '-') return special(call, decoded.slice(1));
  const [name, rest] = splitName(decoded);
  if (request.method === 'PUT' || request.method === 'DELETE') {
    guard.write(request, name);
    return reply.code(201).send(await change(call, name, rest));
  }
  guard.read(request);
  if (rest[0] === '-' && rest[1] !== undefined) return sendFile(call, tarballPlace(call, name, rest[1]));
  if (rest.length > 0) throw new Refusal(404, 'not found');
  if ((await store.readJson(name, 'document')) === null) {
    const found = await askUpstream(call, packagePath(name), name);
    if (found !== null) return passOn(call, found);
  }
  const all = await stored(call, name);
  return withAddresses(query.has('write') ? all : visible(call, all), baseOf(request, prefix));
}

async function special(call: Call, parts: readonly string[]): Promise<unknown> {
  const { guard, request, store } = call;
  if (parts[0] === 'ping') return {};
  if (parts[0] === 'whoami' || parts.join('/') === 'npm/v1/tokens') {
    const token = guard.tokenOf(request);
    if (token === null) throw new Refusal(401, 'you are not logged in');
    if (parts[0] === 'whoami') return { username: token.user };
    const scopes = token.only === null ? [] : [{ type: 'package', name: token.only }];
    return {
      objects: [{ token: `${token.secret.slice(0, 8)}...`, readonly: token.may === 'read', scopes }],
      urls: {},
    };
  }
  if (parts[0] !== 'package') throw new Refusal(404, 'not found');
  const [name, rest] = splitName(parts.slice(1));
  if (rest[0] !== 'dist-tags') throw new Refusal(404, 'not found');
  if (request.method === 'GET') {
    guard.read(request);
    return visible(call, await stored(call, name))['dist-tags'];
  }
  guard.write(request, name);
  const tag = rest[1];
  if (tag === undefined) throw new Refusal(400, 'name the dist-tag');
  const wanted = request.method === 'DELETE' ? null : await jsonOfBody(request);
  return store.alone(name, async () => {
    const before = await stored(call, name);
    const tags = { ...before['dist-tags'] };
    if (wanted === null) delete tags[tag];
    else tags[tag] = knownVersion(before, wanted);
    await write(call, { ...before, 'dist-tags': tags });
    return tags;
  });
}

/** A new version, a changed document, or a version taken away. */
async function change(call: Call, name: string, rest: readonly string[]): Promise<unknown> {
  const { request, store, maxBytes } = call;
  if (request.method === 'DELETE') return unpublishFile(call, name, rest);
  const body = new PublishBody();
  const received = await store.receive(body.attachment(bodyOf(request)), {
    digests: ['sha1', 'sha512'],
    sizeBytes: Number(request.headers['content-length'] ?? 0),
    maxBytes,
    ...roomOf(call),
  });
  try {
    const document = objectOf(body.document());
    return await store.alone(name, () =>
      document['_attachments'] === undefined && received.sizeBytes === 0
        ? rewrite(call, name, document)
        : publish(call, name, { document, received }),
    );
  } finally {
    await store.discard(received);
  }
}

async function publish(
  call: Call,
  name: string,
  { document, received }: { readonly document: Readonly<Record<string, unknown>>; readonly received: Received },
): Promise<unknown> {
  const { store, guard, request, now, faults } = call;
  const { version, manifest, tags } = parsePublish(name, document, received);
  const before = await store.readJson<StoredPackage>(name, 'document');
  const user = guard.tokenOf(request)?.user ?? '';
  if (before !== null && !before.maintainers.some((maintainer) => maintainer.name === user))
    throw new Refusal(403, `you do not have permission to publish ${name}`);
  if (before?.time[version] !== undefined)
    throw new Refusal(409, `cannot publish over the existing version ${version}`);
  // The tarball comes first, so that no document names one that is not whole.
  await store.replace(received, store.place(name, `${version}.tgz`));
  const at = now();
  const hideMs = faults.take('hide', request)?.ms ?? 0;
  await write(call, {
    _rev: before?._rev ?? '0',
    name,
    description: document['description'] ?? before?.description,
    readme: document['readme'] ?? before?.readme,
    maintainers: before?.maintainers ?? [{ name: user }],
    'dist-tags': { ...before?.['dist-tags'], ...tags },
    versions: { ...before?.versions, [version]: manifest },
    time: { ...before?.time, [version]: at.toISOString() },
    hidden: {
      ...before?.hidden,
      ...(hideMs === 0 ? {} : { [version]: new Date(at.getTime() + hideMs).toISOString() }),
    },
  });
  return { ok: true };
}

/** The document sent back with versions deprecated or removed; no other change is possible this way. */
async function rewrite(call: Call, name: string, document: Readonly<Record<string, unknown>>): Promise<unknown> {
  if (document['versions'] === undefined) throw new Refusal(400, 'the document needs versions');
  const before = await stored(call, name);
  const wanted = objectOf(document['versions']);
  const versions = Object.entries(before.versions).flatMap(([version, manifest]) => {
    const item = wanted[version];
    if (item === undefined) {
      refuseLateRegret(call, before, version);
      return [];
    }
    const { deprecated: _, ...rest } = manifest as Record<string, unknown>;
    const reason = objectOf(item)['deprecated'];
    return [[version, typeof reason === 'string' && reason !== '' ? { ...rest, deprecated: reason } : rest] as const];
  });
  const kept = Object.fromEntries(versions);
  const tags = Object.entries(objectOf(document['dist-tags'])).filter(
    (pair): pair is [string, string] => typeof pair[1] === 'string' && kept[pair[1]] !== undefined,
  );
  await write(call, { ...before, versions: kept, 'dist-tags': Object.fromEntries(tags) });
  return { ok: true };
}

async function unpublishFile(call: Call, name: string, rest: readonly string[]): Promise<unknown> {
  const [dash, file = '', revWord] = rest;
  if (dash !== '-' || revWord !== '-rev') throw new Refusal(405, 'a published version is not deleted here');
  const before = await stored(call, name);
  const version = versionOf(name, file);
  if (before.versions[version] !== undefined) throw new Refusal(400, 'the document still lists this version');
  refuseLateRegret(call, before, version);
  return { ok: true };
}

function refuseLateRegret({ now }: Call, { time }: StoredPackage, version: string): void {
  const age = now().getTime() - Date.parse(time[version] ?? '');
  if (!(age < regretMs)) throw new Refusal(405, 'this version is too old to be unpublished; deprecate it');
}

async function write({ store }: Call, document: StoredPackage): Promise<void> {
  await store.writeJson({ ...document, _rev: String(Number(document._rev) + 1) }, document.name, 'document');
}

async function stored({ store }: Call, name: string): Promise<StoredPackage> {
  const found = await store.readJson<StoredPackage>(name, 'document');
  if (found === null) throw new Refusal(404, 'not found');
  return found;
}

function tarballPlace({ store }: Call, name: string, file: string): string {
  return store.place(name, `${versionOf(name, file)}.tgz`);
}

/** What a reader sees by now. */
function visible({ now }: Call, all: StoredPackage): StoredPackage {
  const isHidden = (version: string) => Date.parse(all.hidden?.[version] ?? '') > now().getTime();
  const only = <Value>(pairs: Readonly<Record<string, Value>>, versionOf: (pair: [string, Value]) => string) =>
    Object.fromEntries(Object.entries(pairs).filter((pair) => !isHidden(versionOf(pair))));
  const versions = only(all.versions, ([version]) => version);
  if (Object.keys(versions).length === 0 && Object.keys(all.versions).length > 0) throw new Refusal(404, 'not found');
  const { hidden: _, ...rest } = all;
  return { ...rest, versions, 'dist-tags': only(all['dist-tags'], ([, version]) => version) };
}

/** Takes a publish document apart and refuses what a registry refuses. */
function parsePublish(name: string, document: Readonly<Record<string, unknown>>, received: Received) {
  const [version, value] = onlyPair(document['versions'], 'versions');
  const [, attachment] = onlyPair(document['_attachments'], '_attachments');
  const manifest = objectOf(value);
  if (!namePattern.test(name) || name.length > 214) throw new Refusal(400, `${name} is not a package name`);
  if (document['name'] !== name || manifest['name'] !== name)
    throw new Refusal(400, 'the document names another package');
  if (!isVersion(version) || manifest['version'] !== version)
    throw new Refusal(400, 'the document names no valid version');
  const tags = Object.entries(objectOf(document['dist-tags']));
  if (tags.length === 0 || tags.some(([tag, target]) => target !== version || isVersion(tag))) {
    throw new Refusal(400, 'a dist-tag that names this version is needed');
  }
  const { integrity, shasum } = objectOf(manifest['dist']);
  if (received.sizeBytes === 0 || objectOf(attachment)['length'] !== received.sizeBytes)
    throw new Refusal(400, 'the tarball is not as long as the document says');
  if (integrity !== integrityOf(received.digests['sha512'] ?? '') || shasum !== received.digests['sha1'])
    throw new Refusal(400, 'the integrity of the document is not that of the tarball');
  return { version, manifest, tags: Object.fromEntries(tags) as Record<string, string> };
}

function onlyPair(value: unknown, field: string): [string, unknown] {
  const pairs = Object.entries(objectOf(value));
  const [pair] = pairs;
  if (pair === undefined || pairs.length !== 1) throw new Refusal(400, `the document needs exactly one of ${field}`);
  return pair;
}

function knownVersion(stored: StoredPackage, body: unknown): string {
  if (typeof body === 'string' && stored.versions[body] !== undefined) return body;
  throw new Refusal(404, 'there is no such version');
}

/** The version in a tarball's name. @throws Refusal 404 when it is not a tarball of this package. */
function versionOf(name: string, file: string): string {
  const start = `${name.split('/').at(-1)}-`;
  const version = file.startsWith(start) && file.endsWith('.tgz') ? file.slice(start.length, -4) : '';
  if (!isVersion(version)) throw new Refusal(404, 'not found');
  return version;
}

/** Tarball addresses are those under which the reader came. */
function withAddresses(stored: StoredPackage, base: string): unknown {
  const versions = Object.entries(stored.versions).map(([version, manifest]) => [
    version,
    { ...manifest, dist: { ...objectOf(manifest['dist']), tarball: tarballUrl(base, stored.name, version) } },
  ]);
  return { _id: stored.name, ...stored, versions: Object.fromEntries(versions) };
}

/** A name is one part, or two with a scope, or one with an escaped slash. */
function splitName(parts: readonly string[]): [string, readonly string[]] {
  const [first = '', second] = parts;
  if (first.startsWith('@') && !first.includes('/') && second !== undefined)
    return [`${first}/${second}`, parts.slice(2)];
  return [first, parts.slice(1)];
}
