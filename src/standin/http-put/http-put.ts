import path from 'node:path';
import { contentTypeOf } from '../../core/protocol/content-type.ts';
import { formatMultistatus } from '../../core/protocol/http-put/webdav.ts';
import { exists, isFolder, listFolder, makeFolder, removeFolder } from '../../world/files.ts';
import { decodePart, Refusal } from '../refusal.ts';
import { bodyOf, type Call, partsOf, plainService, roomOf, type StandinService, sendTagged } from '../service.ts';
import { checkConditions } from '../tagged.ts';

const prefix = '/files/';

/** A WebDAV store below `/files/`, class 1 without locks and properties (RFC 4918 §10.1). */
export const httpPut: StandinService = {
  ...plainService,
  path: 'files/',
  address: 'files/',
  serve: (server, service) => {
    server.route({
      method: ['GET', 'HEAD', 'PUT', 'DELETE', 'OPTIONS', 'PROPFIND', 'MKCOL'],
      url: `${prefix}*`,
      handler: (request, reply) => route({ ...service, request, reply }),
    });
  },
};

async function route(call: Call): Promise<unknown> {
  const { request, store, guard, reply } = call;
  const parts = partsOf(request, prefix)
    .parts.filter((part) => part !== '')
    .map(decodePart);
  if (parts.some((part) => part === '.' || part === '..' || part.includes('/'))) throw new Refusal(404, 'not found');
  const place = parts.length === 0 ? store.folder : store.place(...parts);
  if (['GET', 'HEAD', 'PROPFIND', 'OPTIONS'].includes(request.method)) {
    guard.read(request);
    return answer(call, parts, place);
  }
  guard.write(request, parts[0] ?? '');
  if (request.method === 'DELETE') {
    if (!(await exists(place))) throw new Refusal(404, 'not found');
    await removeFolder(place);
    return reply.code(204).send();
  }
  // RFC 4918 §9.3.1 and §9.7.1: 409 without the collection around it.
  const isBelowFile = parts.length > 1 && !(await isFolder(path.dirname(place)));
  if (isBelowFile) throw new Refusal(409, 'the collection around it is missing');
  if (request.method === 'MKCOL') {
    if (parts.length === 0 || (await exists(place))) throw new Refusal(405, 'it is there already');
    await makeFolder(place);
    return reply.code(201).send('');
  }
  return reply.code(await put(call, place)).send('');
}

async function put(call: Call, place: string): Promise<number> {
  const { request, store, maxBytes } = call;
  if (await isFolder(place)) throw new Refusal(405, 'it is a collection');
  const received = await store.receive(bodyOf(request), { maxBytes, ...roomOf(call) });
  return store.alone(place, async () => {
    try {
      const isThere = await exists(place);
      if (request.headers['if-none-match'] === '*' && isThere) throw new Refusal(412, 'something is there already');
      if (request.headers['if-match'] !== undefined) await checkConditions(request, place);
      await store.replace(received, place);
      return isThere ? 204 : 201;
    } finally {
      await store.discard(received);
    }
  });
}

async function answer(call: Call, parts: readonly string[], place: string): Promise<unknown> {
  const { request, reply } = call;
  if (request.method === 'OPTIONS')
    return reply.header('dav', '1').header('allow', 'GET, HEAD, PUT, DELETE, OPTIONS, PROPFIND, MKCOL').send('');
  // The root is there before anything was put into it.
  const isCollection = parts.length === 0 || (await isFolder(place));
  if (!isCollection && !(await exists(place))) throw new Refusal(404, 'not found');
  if (request.method === 'PROPFIND') {
    if (request.headers.depth === 'infinity') throw new Refusal(403, 'ask with a depth of 0 or 1');
    const own = `${prefix}${parts.join('/')}${isCollection && parts.length > 0 ? '/' : ''}`;
    const below = isCollection && request.headers.depth === '1' ? await listed(call, place, own) : [];
    return reply
      .code(207)
      .type('application/xml; charset=utf-8')
      .send(formatMultistatus([own, ...below]));
  }
  if (isCollection) return showFolder(call, parts);
  return sendTagged(call, place, contentTypeOf(parts.at(-1) ?? ''));
}

/** A folder is shown by its page, as web servers do. */
async function showFolder(call: Call, parts: readonly string[]): Promise<unknown> {
  const { request, reply, store } = call;
  const page = store.place(...parts, 'index.html');
  if (!(await exists(page))) throw new Refusal(404, 'a collection is listed with PROPFIND');
  const [asked = ''] = (request.raw.url ?? '').split('?');
  return asked.endsWith('/') ? sendTagged(call, page, contentTypeOf('index.html')) : reply.redirect(`${asked}/`, 301);
}

async function listed(_call: Call, place: string, own: string): Promise<string[]> {
  const entries = (await exists(place)) ? await listFolder(place) : [];
  return entries
    .filter(({ name }) => name.startsWith('_'))
    .map((entry) => `${own}${decodeURIComponent(entry.name.slice(1))}${entry.isFolder ? '/' : ''}`)
    .sort();
}
