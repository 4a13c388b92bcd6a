import { Readable } from 'node:stream';
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import type { Lack } from '../core/name/lack.ts';
import type { ShownPackage } from '../core/page/registry-page.ts';
import { readBytesIfThere } from '../world/files.ts';
import { drain, type HttpAnswer, send } from '../world/http.ts';
import type { Faults } from './fault.ts';
import type { Guard } from './guard.ts';
import { Refusal } from './refusal.ts';
import { openFile, type Store } from './store.ts';
import { tagOf } from './tagged.ts';

/** Another server with names that are not here. */
export type Upstream = {
  /** With `/` behind. */
  readonly url: string;
  readonly headers?: Readonly<Record<string, string>>;
  /** Names that are never looked up there. */
  readonly without?: ReadonlySet<string>;
};

/** What a protocol of the stand-in works with. */
export type Service = {
  readonly store: Store;
  readonly guard: Guard;
  readonly faults: Faults;
  readonly now: () => Date;
  /** Where names that are not here are looked up, one after the other. */
  readonly upstream: readonly Upstream[];
  /** What it cannot do, as other servers of these protocols cannot. */
  readonly lacks: ReadonlySet<Lack>;
  /** The largest upload that is taken. */
  readonly maxBytes: number;
};

/** One request to a protocol, with what the protocol works with. */
export type Call = Service & { readonly request: FastifyRequest; readonly reply: FastifyReply };

/** How a protocol is served. */
export type StandinService = {
  /** Below which path of the server. The folder of its store is called like the path. */
  readonly path: string;
  /** What clients are given as its address, below that of the server. */
  readonly address: string;
  readonly serve: (server: FastifyInstance, service: Service) => void;
  /** How it words a refusal. */
  readonly tell: (message: string) => { readonly type: string; readonly body: string };
  /** What the page of a package shows, null when there is none; null for a protocol that knows no packages by name. */
  readonly readPage: ((store: Store, name: string) => Promise<ShownPackage | null>) | null;
  /** Whether a request is its own by the scheme of its credential alone, whatever its path. */
  readonly claims: (authorization: string) => boolean;
};

/** What most protocols have in common. */
export const plainService: Pick<StandinService, 'tell' | 'readPage' | 'claims'> = {
  tell: (message) => ({ type: 'application/json', body: JSON.stringify({ error: message }) }),
  readPage: null,
  claims: () => false,
};

/** How many bytes there is room for, when a fault says so. */
export function roomOf({ faults, request }: Call): { readonly room?: number } {
  const room = faults.take('disk-full', request)?.room;
  return room === undefined ? {} : { room };
}

/** The body of a request as it comes in; no protocol gets more than it asks for. */
export function bodyOf(request: FastifyRequest): AsyncIterable<Uint8Array> {
  return (request.body ?? nothing()) as AsyncIterable<Uint8Array>;
}

async function* nothing(): AsyncGenerator<Uint8Array> {}

/** What the first other server that has something at a path says of a name; null where there is none. */
export async function askUpstream({ upstream, request }: Call, path: string, name = ''): Promise<HttpAnswer | null> {
  const { accept } = request.headers;
  for (const { url, headers = {}, without } of upstream) {
    if (without?.has(name)) continue;
    const wanted = { ...headers, ...(accept === undefined ? {} : { accept }) };
    const answer = await send({ method: 'GET', url: `${url}${path}`, headers: wanted });
    if (answer.status === 200) return answer;
    await drain(answer);
  }
  return null;
}

/** An answer of another server, passed on as it is. */
export function passOn({ reply }: Call, { headers, chunks }: HttpAnswer): FastifyReply {
  return reply.type(String(headers['content-type'] ?? 'application/octet-stream')).send(Readable.from(chunks));
}

/** A short body as text. */
export async function textOfBody(request: FastifyRequest, maxBytes = 32 << 20): Promise<string> {
  const parts: Uint8Array[] = [];
  let sizeBytes = 0;
  for await (const part of bodyOf(request)) {
    sizeBytes += part.length;
    if (sizeBytes > maxBytes) throw new Refusal(413, `more than ${maxBytes} bytes are not taken`);
    parts.push(part);
  }
  return Buffer.concat(parts).toString('utf8');
}

/** A short body as JSON. */
export async function jsonOfBody(request: FastifyRequest): Promise<unknown> {
  const text = await textOfBody(request);
  try {
    return text === '' ? undefined : JSON.parse(text);
  } catch {
    throw new Refusal(400, 'the body is no JSON');
  }
}

/** Bytes from one place to another, both included. */
export type Span = { readonly start: number; readonly end: number };

/** Something that lies whole somewhere, and of which a part can be had; `end` is the last byte. */
export type Content = {
  readonly sizeBytes: number;
  readonly modified: Date;
  readonly read: (start: number, end: number) => Readable;
};

/** Sends a file with its length, or a part of it where one is asked for. @throws Refusal 404 */
export async function sendFile(
  call: Pick<Call, 'request' | 'reply'>,
  place: string,
  type = 'application/octet-stream',
): Promise<unknown> {
  const found = await openFile(place);
  if (found === null) throw new Refusal(404, 'not found');
  return sendContent(call, found, type);
}

/** The largest file that has an entity tag: only small ones are ever written anew. */
const maxTaggedBytes = 32 << 20;

/**
 * The same with an entity tag for a file that may be written anew: tag and bytes are of one reading, whatever comes to lie there
 * meanwhile. @throws Refusal 404
 */
export async function sendTagged(
  call: Pick<Call, 'request' | 'reply'>,
  place: string,
  type = 'application/octet-stream',
): Promise<unknown> {
  const found = await openFile(place);
  if (found === null) throw new Refusal(404, 'not found');
  if (found.sizeBytes >= maxTaggedBytes) return sendContent(call, found, type);
  const bytes = await readBytesIfThere(place);
  if (bytes === null) throw new Refusal(404, 'not found');
  call.reply.header('etag', tagOf(Buffer.from(bytes).toString('utf8')));
  const read = (start: number, end: number) => Readable.from([bytes.subarray(start, end + 1)]);
  return sendContent(call, { ...found, sizeBytes: bytes.length, read }, type);
}

/** Sends content with its length, or a part of it where one is asked for (RFC 9110 §14.2). */
export function sendContent(
  { request, reply }: Pick<Call, 'request' | 'reply'>,
  content: Content,
  type: string,
): unknown {
  const range = /^bytes=(\d+)-(\d*)$/.exec(request.headers.range ?? '');
  const last = content.sizeBytes - 1;
  const start = Number(range?.[1] ?? 0);
  const end = range?.[2] ? Math.min(Number(range[2]), last) : last;
  if (range !== null && start > last) throw new Refusal(416, 'there are not so many bytes');
  reply.header('last-modified', content.modified.toUTCString()).header('accept-ranges', 'bytes').type(type);
  if (range !== null) reply.code(206).header('content-range', `bytes ${start}-${end}/${content.sizeBytes}`);
  reply.header('content-length', Math.max(0, end - start + 1));
  if (request.method === 'HEAD' || content.sizeBytes === 0) return reply.send('');
  return reply.send(content.read(start, end));
}

/** Path parts behind a prefix, not yet decoded, and what stands behind the question mark. */
export function partsOf(request: FastifyRequest, prefix: string): { parts: string[]; query: URLSearchParams } {
  const [path = '', query = ''] = (request.raw.url ?? '').split('?', 2);
  return { parts: path.slice(prefix.length).split('/'), query: new URLSearchParams(query) };
}

/** The address under which the reader came. */
export function baseOf(request: FastifyRequest, prefix: string): string {
  return `http://${request.headers.host}${prefix}`;
}
