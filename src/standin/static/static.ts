import type { LayoutName } from '../../core/name/protocol.ts';
import { contentTypeOf } from '../../core/protocol/content-type.ts';
import type { Layout } from '../../core/protocol/layout.ts';
import { layoutRules } from '../../core/protocol/layouts.ts';
import { exists, isFolder, readTextIfThere, removeFile } from '../../world/files.ts';
import { decodePart, Refusal } from '../refusal.ts';
import {
  askUpstream,
  bodyOf,
  type Call,
  partsOf,
  passOn,
  plainService,
  roomOf,
  type StandinService,
  sendTagged,
} from '../service.ts';
import { openFile } from '../store.ts';
import { checkConditions } from '../tagged.ts';
import { upstreamCrate } from './upstream-crate.ts';

/** The largest text that can be an index. */
const maxIndexBytes = 32 << 20;

/**
 * A web server with the files of one layout, which takes them by PUT: folders are shown by their index.html, artifacts are never
 * replaced, and an index that refers to what is not there is refused.
 */
export function staticService(layoutName: LayoutName): StandinService {
  const prefix = `/static/${layoutName}/`;
  const layout = layoutRules[layoutName];
  return {
    ...plainService,
    path: `static/${layoutName}/`,
    address: `static/${layoutName}/`,
    serve: (server, service) => {
      server.route({
        method: ['GET', 'HEAD', 'PUT', 'DELETE', 'OPTIONS'],
        url: `${prefix}*`,
        handler: (request, reply) => route({ ...service, request, reply }, { layout, prefix }),
      });
    },
  };
}

type Site = { readonly layout: Layout; readonly prefix: string };

async function route(call: Call, { layout, prefix }: Site): Promise<unknown> {
  const { request, store, guard, reply } = call;
  // A client may escape the slash in a name: for files it is one.
  const given = partsOf(request, prefix).parts.flatMap((part) => decodePart(part).split('/'));
  const parts = given.at(-1) === '' ? given.slice(0, -1) : given;
  if (parts.some((part) => part === '' || /^\.+$/.test(part))) throw new Refusal(404, 'not found');
  const place = parts.length === 0 ? store.folder : store.place(...parts);
  if (request.method === 'OPTIONS') return reply.header('allow', 'GET, HEAD, PUT, DELETE, OPTIONS').send('');
  if (request.method === 'GET' || request.method === 'HEAD') {
    guard.read(request);
    return answer(call, { place, parts, asked: given.join('/') });
  }
  guard.write(request, ...parts);
  if (parts.length === 0 || given.at(-1) === '') throw new Refusal(405, 'a folder is not written');
  if (request.method === 'DELETE') {
    if (!(await exists(place))) throw new Refusal(404, 'not found');
    await removeFile(place);
    return reply.code(204).send();
  }
  return reply.code(await put(call, layout, { place, path: parts.join('/') })).send('');
}

async function answer(
  call: Call,
  { place, parts, asked }: { readonly place: string; readonly parts: readonly string[]; readonly asked: string },
): Promise<unknown> {
  const { reply, request, store } = call;
  // The top is there before anything was put into it.
  if (parts.length === 0 || (await isFolder(place))) {
    const page = store.place(...parts, 'index.html');
    if (!(await exists(page))) {
      if (parts.length === 0) return reply.type('text/plain').send('files of a repository\n');
      throw new Refusal(404, 'there is no list of this folder');
    }
    if (asked !== '' && !asked.endsWith('/')) return reply.redirect(`${(request.raw.url ?? '').split('?')[0]}/`, 301);
    return sendTagged(call, page, contentTypeOf('index.html'));
  }
  if (!(await exists(place))) {
    const found = (await upstreamCrate(call, asked)) ?? (await askUpstream(call, upstreamPath(asked), nameIn(asked)));
    if (found !== null) return passOn(call, found);
    throw new Refusal(404, 'not found');
  }
  return sendTagged(call, place, contentTypeOf(asked));
}

/** A scope's slash is escaped in what a registry is asked; other indexes have their pages at their top. */
function upstreamPath(asked: string): string {
  return asked.startsWith('@') ? asked.replace('/', '%2f') : asked.replace(/^simple\//, '');
}

/** The package that a path is about, as far as a path tells. */
function nameIn(asked: string): string {
  const module = /^(.+)\/@(?:v\/|latest$)/.exec(asked)?.[1];
  if (module !== undefined) return module.replace(/!([a-z])/g, (_, letter: string) => letter.toUpperCase());
  return asked.startsWith('@') ? asked : (asked.replace(/\/$/, '').split('/').at(-1) ?? '');
}

async function put(
  call: Call,
  layout: Layout,
  { place, path: asked }: { readonly place: string; readonly path: string },
): Promise<number> {
  const { request, store, maxBytes } = call;
  if (await isFolder(place)) throw new Refusal(405, 'it is a folder');
  const received = await store.receive(bodyOf(request), { maxBytes, ...roomOf(call) });
  return store.alone(place, async () => {
    try {
      const isThere = await exists(place);
      const { headers } = request;
      if (headers['if-none-match'] === '*' && isThere) throw new Refusal(412, 'something is there already');
      if (headers['if-match'] !== undefined) await checkConditions(request, place);
      const text = received.sizeBytes < maxIndexBytes ? ((await readTextIfThere(received.file)) ?? '') : '';
      for (const needed of layout.refersTo(asked, text) ?? [])
        if ((await openFile(store.place(...needed.split('/')))) === null)
          throw new Refusal(409, `${asked} refers to ${needed}, which is not there`);
      await store.replace(received, place);
      return isThere ? 204 : 201;
    } finally {
      await store.discard(received);
    }
  });
}
