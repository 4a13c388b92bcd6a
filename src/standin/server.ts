import { mkdir } from 'node:fs/promises';
import path from 'node:path';
import fastify, { type FastifyInstance } from 'fastify';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import type { Protocol } from '../core/name/protocol.ts';
import { addFaults, type Fault, Faults } from './fault.ts';
import { makeGuard, type StandinToken } from './guard.ts';
import { serveHttpPut } from './http-put/http-put.ts';
import { serveMaven } from './maven-layout/maven-layout.ts';
import { serveNpm } from './npm-registry/npm-registry.ts';
import { serveNuget } from './nuget-v3/nuget-v3.ts';
import { serveOci, tellOci } from './oci/oci.ts';
import { servePages } from './page.ts';
import { servePython } from './python-index/python-index.ts';
import { Refusal } from './refusal.ts';
import { serveS3, tellS3 } from './s3/s3.ts';
import type { Service } from './service.ts';
import { removeIncoming, Store } from './store.ts';

/** What serves a protocol, and below which path of the server. The folder of its store is called like the path. */
const services = {
  'npm-registry': { path: 'node/', serve: serveNpm },
  'python-index': { path: 'python/', serve: servePython },
  'nuget-v3': { path: 'nuget/', serve: serveNuget },
  'maven-layout': { path: 'maven/', serve: serveMaven },
  'http-put': { path: 'files/', serve: serveHttpPut },
  s3: { path: 's3/', serve: serveS3 },
  // The specification has it at the root of a host, whatever else is there.
  oci: { path: 'v2/', serve: serveOci },
} as const satisfies Partial<
  Record<Protocol, { path: string; serve: (server: FastifyInstance, service: Service) => void }>
>;

/** A protocol that the stand-in serves. */
export type StandinProtocol = keyof typeof services;

/** The protocols that the stand-in serves. */
export const standinProtocols = Object.keys(services) as StandinProtocol[];

/** What a stand-in needs to run. */
export type StandinSettings = {
  /** 0: any free one. */
  readonly port: number;
  readonly store: string;
  readonly tokens: readonly StandinToken[];
  readonly now: () => Date;
  /** Whether reading needs a token. */
  readonly isPrivate?: boolean;
  readonly speaks?: readonly StandinProtocol[];
  readonly faults?: readonly Fault[];
  readonly mostBytes?: number;
  /** Where names that are not here are looked up, by protocol. */
  readonly upstream?: Partial<Readonly<Record<StandinProtocol, string>>>;
};

/** A running stand-in. */
export type Standin = {
  readonly url: string;
  readonly faults: Faults;
  /** What a destination's `url` is for a protocol. */
  readonly urlFor: (speaks: StandinProtocol) => string;
  readonly close: () => Promise<void>;
};

/** How each protocol words a refusal. */
const tellers: readonly (readonly [string, (message: string) => { type: string; body: string }])[] = [
  ['/s3/', tellS3],
  ['/v2/', tellOci],
];

function tellJson(message: string): { type: string; body: string } {
  return { type: 'application/json', body: JSON.stringify({ error: message }) };
}

/** Clients of object stores that know a host and no path in front of the bucket find the store by how they sign. */
function storeUrl(url: string, authorization = ''): string {
  return authorization.startsWith('AWS4-') && !url.startsWith('/s3/') ? `/s3${url}` : url;
}

const usualMostBytes = 2 ** 31;

/** How long a request may take to say what it wants, how long a connection may be silent, and how often that is looked at. */
const headersMs = 10_000;
const idleMs = 60_000;
const checkMs = 2000;

/** Starts the server on the loopback interface only. @throws STANDIN_PORT when the port can't be opened. */
export async function startStandin(settings: StandinSettings): Promise<Standin> {
  const { port, store, now, speaks = standinProtocols, mostBytes = usualMostBytes } = settings;
  await mkdir(store, { recursive: true });
  await removeIncoming(store);
  const server = fastify({
    forceCloseConnections: true,
    // Somebody who connects and says nothing, or half of a request, is not waited for.
    http: { headersTimeout: headersMs, connectionsCheckingInterval: checkMs },
    connectionTimeout: idleMs,
    routerOptions: { maxParamLength: 4000 },
    bodyLimit: mostBytes,
    rewriteUrl: (request) => storeUrl(request.url ?? '/', request.headers.authorization),
  });
  for (const method of ['PROPFIND', 'MKCOL']) server.addHttpMethod(method, { hasBody: true });
  // Bodies come as they are: each protocol reads its own, as a stream.
  server.removeAllContentTypeParsers();
  server.addContentTypeParser('*', (_request, payload, done) => done(null, payload));
  const faults = new Faults(settings.faults ?? []);
  addFaults(server, faults);
  server.setErrorHandler((error: { statusCode?: number; message?: string }, request, reply) => {
    const status = error instanceof Refusal ? error.status : (error.statusCode ?? 500);
    const headers = error instanceof Refusal ? error.headers : {};
    const told = tellers.find(([path]) => request.url.startsWith(path))?.[1] ?? tellJson;
    const { type, body } = told(error.message ?? 'failed');
    return reply.code(status).headers(headers).type(type).send(body);
  });
  const guard = makeGuard(settings.tokens, settings.isPrivate ?? false);
  for (const protocol of speaks) {
    const { path: below, serve } = services[protocol];
    const upstream = settings.upstream?.[protocol];
    serve(server, {
      store: new Store(path.join(store, below)),
      guard,
      faults,
      now,
      mostBytes,
      upstream: upstream === undefined ? null : upstream.replace(/\/*$/, '/'),
    });
  }
  servePages(server, { store, guard, speaks });
  try {
    const address = await server.listen({ host: '127.0.0.1', port });
    const url = `${address}/`;
    const urlFor = (one: StandinProtocol) => (one === 'oci' ? `${url}office` : `${url}${services[one].path}`);
    return { url, faults, urlFor, close: () => server.close() };
  } catch (cause) {
    throw new BevelstoneError('STANDIN_PORT', {
      message: `The port ${port} cannot be opened`,
      why:
        (cause as NodeJS.ErrnoException).code === 'EADDRINUSE'
          ? 'something else uses it'
          : String((cause as Error).message),
      fix: 'Choose another with --port, or 0 for any free one',
      cause,
    });
  }
}
