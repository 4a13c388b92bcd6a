import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import { objectOf, textOf } from '../core/manifest/fields.ts';
import { tarballUrl } from '../core/protocol/npm-document.ts';
import { isVersion } from '../core/version/version.ts';
import { exists } from '../world/files.ts';
import { NpmStore, type StoredPackage } from './npm-store.ts';

/** What a stand-in of this protocol needs. */
export type NpmStandin = { readonly folder: string; readonly tokens: ReadonlySet<string>; readonly now: () => Date };

const mostBytes = 512 << 20;
const namePattern = /^(?:@[a-z0-9~-][a-z0-9._~-]*\/)?[a-z0-9~-][a-z0-9._~-]*$/;

/** A refusal as the protocol tells it. */
class Refusal extends Error {
  readonly status: number;
  constructor(status: number, message: string) {
    super(message);
    this.status = status;
  }
}

/** Serves the npm client's protocol below `/node/`: reading is open, writing needs a token. */
export function serveNpm(server: FastifyInstance, { folder, tokens, now }: NpmStandin): void {
  const store = new NpmStore(folder);
  server.route({
    method: ['GET', 'HEAD', 'PUT', 'DELETE'],
    url: '/node/*',
    bodyLimit: mostBytes,
    handler: async (request, reply) => {
      try {
        return await route(request, reply);
      } catch (error) {
        if (!(error instanceof Refusal)) throw error;
        return reply.code(error.status).send({ error: error.message });
      }
    },
  });

  async function route(request: FastifyRequest, reply: FastifyReply): Promise<unknown> {
    const base = `http://${request.headers.host}/node/`;
    const parts = (request.raw.url ?? '').split('?')[0]?.slice('/node/'.length).split('/').map(decode) ?? [];
    const isWrite = request.method === 'PUT' || request.method === 'DELETE';
    if (isWrite) authorise(request);
    if (parts[0] === '-') return special(request, parts.slice(1));
    const [name, rest] = splitName(parts);
    if (rest[0] === '-' && rest[1] !== undefined) return sendTarball(name, rest[1], reply);
    if (rest.length > 0) throw new Refusal(404, 'not found');
    if (request.method === 'PUT') return reply.code(201).send(await publish(name, request.body));
    if (isWrite) throw new Refusal(405, 'a published version is not deleted here');
    return withAddresses(await stored(name), base);
  }

  function authorise({ headers }: FastifyRequest): void {
    const token = /^Bearer (.+)$/i.exec(headers.authorization ?? '')?.[1];
    if (token === undefined) throw new Refusal(401, 'you must be logged in to publish packages');
    if (!tokens.has(token)) throw new Refusal(403, 'this token may not publish packages');
  }

  async function special(request: FastifyRequest, parts: readonly string[]): Promise<unknown> {
    if (parts[0] === 'ping') return {};
    if (parts[0] !== 'package') throw new Refusal(404, 'not found');
    const [name, rest] = splitName(parts.slice(1));
    if (rest[0] !== 'dist-tags') throw new Refusal(404, 'not found');
    const tag = rest[1];
    if (request.method === 'GET') return (await stored(name))['dist-tags'];
    if (tag === undefined) throw new Refusal(400, 'name the dist-tag');
    return store.alone(name, async () => {
      const before = await stored(name);
      const tags = { ...before['dist-tags'] };
      if (request.method === 'DELETE') delete tags[tag];
      else tags[tag] = knownVersion(before, request.body);
      await store.write({ ...before, 'dist-tags': tags });
      return tags;
    });
  }

  function publish(name: string, body: unknown): Promise<unknown> {
    return store.alone(name, async () => {
      const { version, manifest, tags, bytes } = parsePublish(name, body);
      const before = await store.read(name);
      if (before?.versions[version] !== undefined)
        throw new Refusal(409, `cannot publish over the existing version ${version}`);
      await store.writeTarball(name, version, bytes);
      const document = objectOf(body);
      await store.write({
        name,
        description: document['description'] ?? before?.description,
        readme: document['readme'] ?? before?.readme,
        'dist-tags': { ...before?.['dist-tags'], ...tags },
        versions: { ...before?.versions, [version]: manifest },
        time: { ...before?.time, [version]: now().toISOString() },
      });
      return { ok: true };
    });
  }

  async function stored(name: string): Promise<StoredPackage> {
    const found = await store.read(name);
    if (found === null) throw new Refusal(404, 'not found');
    return found;
  }

  async function sendTarball(name: string, file: string, reply: FastifyReply): Promise<unknown> {
    const start = `${name.split('/').at(-1)}-`;
    const version = file.startsWith(start) && file.endsWith('.tgz') ? file.slice(start.length, -4) : '';
    const place = store.tarball(name, version);
    if (!isVersion(version) || !(await exists(place))) throw new Refusal(404, 'not found');
    return reply.type('application/octet-stream').send(createReadStream(place));
  }
}

type Publish = {
  readonly version: string;
  readonly manifest: Readonly<Record<string, unknown>>;
  readonly tags: Readonly<Record<string, string>>;
  readonly bytes: Buffer;
};

/** Takes a publish document apart and refuses what a registry refuses. */
function parsePublish(name: string, body: unknown): Publish {
  const document = objectOf(body);
  const [version, value] = onlyPair(document['versions'], 'versions');
  const [, attachment] = onlyPair(document['_attachments'], '_attachments');
  const manifest = objectOf(value);
  if (!namePattern.test(name) || name.length > 214) throw new Refusal(400, `${name} is no package name`);
  if (document['name'] !== name || manifest['name'] !== name)
    throw new Refusal(400, 'the document names another package');
  if (!isVersion(version) || manifest['version'] !== version)
    throw new Refusal(400, 'the document names no valid version');
  const tags = Object.entries(objectOf(document['dist-tags']));
  if (tags.length === 0 || tags.some(([tag, target]) => target !== version || isVersion(tag))) {
    throw new Refusal(400, 'a dist-tag that names this version is needed');
  }
  const data = textOf(objectOf(attachment)['data']) ?? '';
  const bytes = Buffer.from(data, 'base64');
  const { integrity, shasum } = objectOf(manifest['dist']);
  const sha512 = `sha512-${createHash('sha512').update(bytes).digest('base64')}`;
  const sha1 = createHash('sha1').update(bytes).digest('hex');
  if (bytes.length === 0 || objectOf(attachment)['length'] !== bytes.length)
    throw new Refusal(400, 'the tarball is not as long as the document says');
  if (integrity !== sha512 || shasum !== sha1)
    throw new Refusal(400, 'the integrity of the document is not that of the tarball');
  return { version, manifest, tags: Object.fromEntries(tags) as Record<string, string>, bytes };
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

function decode(part: string): string {
  try {
    return decodeURIComponent(part);
  } catch {
    throw new Refusal(400, 'the address is not well-formed');
  }
}
