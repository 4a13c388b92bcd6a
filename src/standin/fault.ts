import { Transform } from 'node:stream';
import type { FastifyInstance, FastifyRequest } from 'fastify';
import { pauseFor } from '../world/poll.ts';

/** Something that goes wrong on purpose, so that a client's answer to it can be seen. */
export type Fault = {
  /** Which requests it affects; all by default. */
  readonly method?: string;
  readonly path?: RegExp;
  /** How many requests it affects; 1 by default. */
  readonly times?: number;
} & (
  | { readonly type: 'latency'; readonly ms: number }
  /** The connection is cut after so many bytes of the body came in. */
  | { readonly type: 'reset'; readonly afterBytes: number }
  | { readonly type: 'status'; readonly status: number; readonly headers?: Readonly<Record<string, string>> }
  /** The work is done, and the connection cut instead of an answer. */
  | { readonly type: 'lost-answer' }
  /** The answer says its whole length and ends after so many bytes. */
  | { readonly type: 'truncate'; readonly bytes: number }
  /** What is taken shows up in indexes only later. */
  | { readonly type: 'hide'; readonly ms: number }
  /** There is room for so many bytes. */
  | { readonly type: 'disk-full'; readonly room: number }
);

/** The faults of a server; each affects its number of requests and then ends. */
export class Faults {
  readonly #open: { fault: Fault; left: number }[];
  /** What the server was asked, in order: method and path. */
  readonly asked: string[] = [];
  /** What it answered: method, path and status. A request that was cut off has no answer. */
  readonly answered: string[] = [];

  constructor(faults: readonly Fault[]) {
    this.#open = faults.map((fault) => ({ fault, left: fault.times ?? 1 }));
  }

  /** Adds one while the server runs. */
  add(fault: Fault): void {
    this.#open.push({ fault, left: fault.times ?? 1 });
  }

  /** Lets everything go well from now on. */
  clear(): void {
    this.#open.length = 0;
  }

  /** The next fault of this type for a request, used up by asking. */
  take<Type extends Fault['type']>(type: Type, request: FastifyRequest): Extract<Fault, { type: Type }> | null {
    const found = this.#open.find(
      ({ fault, left }) =>
        left > 0 &&
        fault.type === type &&
        (fault.method ?? request.method) === request.method &&
        (fault.path?.test(request.url) ?? true),
    );
    if (found === undefined) return null;
    found.left--;
    return found.fault as Extract<Fault, { type: Type }>;
  }
}

/** Lets the faults happen to every request. */
export function addFaults(server: FastifyInstance, faults: Faults): void {
  server.addHook('onRequest', async (request, reply) => {
    faults.asked.push(`${request.method} ${request.url}`);
    const latency = faults.take('latency', request);
    if (latency !== null) await pauseFor(latency.ms);
    const status = faults.take('status', request);
    if (status !== null)
      return reply
        .code(status.status)
        .headers(status.headers ?? {})
        .send({ error: 'a fault' });
    return undefined;
  });
  server.addHook('onResponse', async (request, reply) => {
    faults.answered.push(`${request.method} ${request.url} ${reply.statusCode}`);
  });
  server.addHook('preParsing', async (request, _reply, payload) => {
    const reset = faults.take('reset', request);
    if (reset === null) return payload;
    let seen = 0;
    const counted = new Transform({
      transform(chunk: Buffer, _encoding, done) {
        seen += chunk.length;
        if (seen <= reset.afterBytes) return done(null, chunk);
        request.raw.socket.destroy();
        return done(new Error('the connection was cut'));
      },
    });
    // The reader is informed if there still is one.
    counted.on('error', () => {});
    return payload.pipe(counted);
  });
  server.addHook('onSend', async (request, reply, payload) => {
    if (faults.take('lost-answer', request) !== null) {
      reply.hijack();
      request.raw.socket.destroy();
      return payload;
    }
    const truncated = faults.take('truncate', request);
    if (truncated === null) return payload;
    const whole = await wholeOf(payload);
    reply.hijack();
    for (const [name, value] of Object.entries(reply.getHeaders()))
      if (value !== undefined) reply.raw.setHeader(name, value);
    reply.raw.setHeader('content-length', whole.length);
    reply.raw.writeHead(reply.statusCode);
    reply.raw.write(whole.subarray(0, truncated.bytes), () => request.raw.socket.destroy());
    return payload;
  });
}

async function wholeOf(payload: unknown): Promise<Buffer> {
  if (typeof payload === 'string' || Buffer.isBuffer(payload)) return Buffer.from(payload as string);
  const parts: Buffer[] = [];
  for await (const part of (payload ?? []) as AsyncIterable<Buffer>) parts.push(part);
  return Buffer.concat(parts);
}
