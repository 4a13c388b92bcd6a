import { createHash } from 'node:crypto';
import { objectOf, textOf } from '../../core/manifest/fields.ts';
import { comparedName, indexPath, isCrateName } from '../../core/protocol/crate-index/crate-path.ts';
import {
  formatIndexFile,
  type IndexLine,
  parseIndexFile,
  yankedLine,
} from '../../core/protocol/crate-index/index-line.ts';
import { jsonOrNull } from '../../core/text/json.ts';
import { isVersion } from '../../core/version/version.ts';
import { readTextIfThere, writeWhole } from '../../world/files.ts';
import { decodePart, Refusal } from '../refusal.ts';
import {
  askUpstream,
  baseOf,
  bodyOf,
  type Call,
  partsOf,
  passOn,
  plainService,
  roomOf,
  type StandinService,
  sendFile,
} from '../service.ts';
import { upstreamCrate } from '../static/upstream-crate.ts';
import { openFile } from '../store.ts';
import { tagOf } from '../tagged.ts';

const prefix = '/crates/';
/** The largest metadata that a publish request may have. */
const maxMetadataBytes = 4 << 20;

/** A registry of crates below `/crates/`: a sparse index, and the web interface (The Cargo Book, "Registry Web API"). */
export const crateRegistry: StandinService = {
  ...plainService,
  path: 'crates/',
  address: 'crates/',
  // "Registry Web API": an error answer is a list of details.
  tell: (message) => ({ type: 'application/json', body: JSON.stringify({ errors: [{ detail: message }] }) }),
  serve: (server, service) => {
    server.route({
      method: ['GET', 'HEAD', 'PUT', 'DELETE'],
      url: `${prefix}*`,
      handler: (request, reply) => route({ ...service, request, reply }),
    });
  },
};

async function route(call: Call): Promise<unknown> {
  const { request } = call;
  const parts = partsOf(request, prefix).parts.map(decodePart);
  if (parts[0] === 'index') return readIndex(call, parts.slice(1));
  if (parts.slice(0, 3).join('/') !== 'api/v1/crates') throw new Refusal(404, 'not found');
  const [name = '', second = '', third = ''] = parts.slice(3);
  if (request.method === 'PUT' && name === 'new' && second === '') return publish(call);
  if (!isCrateName(name)) throw new Refusal(404, 'not found');
  if (request.method === 'GET' && second === 'owners') return owners(call, name);
  if (request.method === 'GET' && third === 'download') return download(call, name, second);
  if (request.method === 'DELETE' && third === 'yank') return yank(call, name, { version: second, isYanked: true });
  if (request.method === 'PUT' && third === 'unyank') return yank(call, name, { version: second, isYanked: false });
  throw new Refusal(404, 'not found');
}

async function readIndex(call: Call, parts: readonly string[]): Promise<unknown> {
  const { request, reply, guard, store } = call;
  if (request.method !== 'GET' && request.method !== 'HEAD') throw new Refusal(405, 'an index is read');
  guard.read(request);
  const path = parts.join('/');
  if (path === 'config.json') {
    const base = baseOf(request, prefix);
    const auth = guard.isPrivate ? { 'auth-required': true } : {};
    return { dl: `${base}api/v1/crates`, api: base.replace(/\/$/, ''), ...auth };
  }
  const name = parts.at(-1) ?? '';
  if (!isCrateName(name) || indexPath(name) !== path) throw new Refusal(404, 'not found');
  const text = await readTextIfThere(store.place('index', comparedName(name)));
  if (text !== null) return reply.type('text/plain').header('etag', tagOf(text)).send(text);
  const found = await askUpstream(call, path, name);
  if (found !== null) return passOn(call, found);
  throw new Refusal(404, 'there is no such crate');
}

/** A body as it comes, of which a known number of bytes is read at a time. */
class Body {
  readonly #chunks: AsyncIterator<Uint8Array>;
  #left: Uint8Array = new Uint8Array();

  constructor(chunks: AsyncIterable<Uint8Array>) {
    this.#chunks = chunks[Symbol.asyncIterator]();
  }

  async read(count: number): Promise<Buffer> {
    const parts: Uint8Array[] = [];
    for await (const part of this.take(count)) parts.push(part);
    return Buffer.concat(parts);
  }

  async *take(count: number): AsyncGenerator<Uint8Array> {
    for (let missing = count; missing > 0; ) {
      if (this.#left.length === 0) {
        const next = await this.#chunks.next();
        if (next.done === true) throw new Refusal(400, 'the body is shorter than it says');
        this.#left = next.value;
      }
      const part = this.#left.subarray(0, missing);
      this.#left = this.#left.subarray(part.length);
      missing -= part.length;
      yield part;
    }
  }

  async expectEnd(): Promise<void> {
    if (this.#left.length > 0 || (await this.#chunks.next()).done !== true)
      throw new Refusal(400, 'the body is longer than it says');
  }
}

async function publish(call: Call): Promise<unknown> {
  const { request, guard, store, maxBytes } = call;
  // Before anything is read: whoever has no token sends nothing.
  const token = guard.tokenOf(request);
  if (token === null || token.may === 'read') guard.write(request);
  const body = new Body(bodyOf(request));
  const length = (await body.read(4)).readUInt32LE(0);
  if (length > maxMetadataBytes) throw new Refusal(413, 'the metadata is too large');
  const metadata = objectOf(jsonOrNull((await body.read(length)).toString('utf8')));
  const { name, version } = checkedMetadata(metadata);
  guard.write(request, name);
  const sizeBytes = (await body.read(4)).readUInt32LE(0);
  const received = await store.receive(body.take(sizeBytes), { maxBytes, digests: ['sha256'], ...roomOf(call) });
  try {
    await body.expectEnd();
    return await store.alone(comparedName(name), async () => {
      const before = await linesOf(call, name);
      const [other] = before;
      if (other !== undefined && other.name !== name)
        throw new Refusal(400, `a crate named ${other.name} exists, which differs in case, - or _ only`);
      if (before.some((line) => line.version.split('+')[0] === version.split('+')[0]))
        throw new Refusal(400, `crate version ${version} is already uploaded`);
      // The crate first: the index never names what is not there.
      if (!(await store.commit(received, cratePlace(call, name, version))))
        throw new Refusal(400, `crate version ${version} is already uploaded`);
      const text = lineFor(metadata, received.digests['sha256'] ?? '');
      await writeLines(call, name, [...before, { text, name, version, sha256: '', isYanked: false }]);
      const owner = guard.tokenOf(request)?.user ?? '';
      const known = (await store.readJson<string[]>('owners', comparedName(name))) ?? [];
      if (known.length === 0) await store.writeJson([owner], 'owners', comparedName(name));
      return { warnings: { invalid_categories: [], invalid_badges: [], other: [] } };
    });
  } finally {
    await store.discard(received);
  }
}

function checkedMetadata(metadata: Readonly<Record<string, unknown>>): { name: string; version: string } {
  const [name, version] = [textOf(metadata['name']) ?? '', textOf(metadata['vers']) ?? ''];
  if (!isCrateName(name)) throw new Refusal(400, 'the metadata has no name of a crate');
  if (!isVersion(version)) throw new Refusal(400, 'the metadata has no version');
  if (textOf(metadata['license']) === null && textOf(metadata['license_file']) === null)
    throw new Refusal(400, 'missing or empty metadata fields: license');
  if (textOf(metadata['description']) === null) throw new Refusal(400, 'missing or empty metadata fields: description');
  const { deps } = metadata;
  if (!Array.isArray(deps)) throw new Refusal(400, 'the metadata has no list of dependencies');
  for (const dependency of deps.map(objectOf)) {
    if (textOf(dependency['version_req']) === '*')
      throw new Refusal(400, `wildcard (*) dependency constraints are not allowed: ${String(dependency['name'])}`);
  }
  return { name, version };
}

/** A line of the index from the metadata of a publish request: the names of its fields differ ("JSON schema"). */
function lineFor(metadata: Readonly<Record<string, unknown>>, sha256: string): string {
  const deps = (metadata['deps'] as unknown[]).map(objectOf).map((need) => {
    const renamed = textOf(need['explicit_name_in_toml']);
    return {
      name: renamed ?? need['name'],
      req: need['version_req'],
      features: need['features'] ?? [],
      optional: need['optional'] === true,
      default_features: need['default_features'] !== false,
      target: need['target'] ?? null,
      kind: need['kind'] ?? 'normal',
      registry: need['registry'] ?? null,
      ...(renamed === null ? {} : { package: need['name'] }),
    };
  });
  return JSON.stringify({
    name: metadata['name'],
    vers: metadata['vers'],
    deps,
    cksum: sha256,
    features: {},
    features2: objectOf(metadata['features']),
    v: 2,
    yanked: false,
    links: textOf(metadata['links']),
    rust_version: textOf(metadata['rust_version']),
  });
}

async function yank(
  call: Call,
  name: string,
  { version, isYanked }: { readonly version: string; readonly isYanked: boolean },
): Promise<unknown> {
  const { request, guard, store } = call;
  guard.write(request, name);
  return store.alone(comparedName(name), async () => {
    const lines = await linesOf(call, name);
    if (!lines.some((line) => line.version === version)) throw new Refusal(404, `there is no ${name} ${version}`);
    const changed = lines.map((line) => {
      if (line.version !== version) return line;
      return isYanked ? yankedLine(line) : { ...line, text: line.text.replace('"yanked":true', '"yanked":false') };
    });
    await writeLines(call, name, changed);
    return { ok: true };
  });
}

async function owners(call: Call, name: string): Promise<unknown> {
  const { request, guard, store } = call;
  if (guard.tokenOf(request) === null) guard.write(request, name);
  const known = await store.readJson<string[]>('owners', comparedName(name));
  if (known === null) throw new Refusal(404, `there is no crate ${name}`);
  return { users: known.map((login, index) => ({ id: index + 1, login, name: login })) };
}

async function download(call: Call, name: string, version: string): Promise<unknown> {
  const { request, guard } = call;
  guard.read(request);
  const place = cratePlace(call, name, version);
  if (isVersion(version) && (await openFile(place)) !== null) return sendFile(call, place, 'application/gzip');
  const found = await upstreamCrate(call, `crates/${name}/${name}-${version}.crate`);
  if (found !== null) return passOn(call, found);
  throw new Refusal(404, `there is no ${name} ${version}`);
}

function cratePlace({ store }: Call, name: string, version: string): string {
  return store.place('crates', comparedName(name), `${createHash('sha256').update(version).digest('hex')}.crate`);
}

async function linesOf({ store }: Call, name: string): Promise<readonly IndexLine[]> {
  return parseIndexFile((await readTextIfThere(store.place('index', comparedName(name)))) ?? '') ?? [];
}

async function writeLines({ store }: Call, name: string, lines: readonly IndexLine[]): Promise<void> {
  await writeWhole(store.place('index', comparedName(name)), formatIndexFile(lines));
}
