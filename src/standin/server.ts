import path from 'node:path';
import fastify from 'fastify';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import type { Lack } from '../core/name/lack.ts';
import { type RemoteProtocol, remoteProtocols } from '../core/name/protocol.ts';
import { makeFolder } from '../world/files.ts';
import { crateRegistry } from './crate-registry/crate-registry.ts';
import { addFaults, type Fault, Faults } from './fault.ts';
import { makeGuard, type StandinToken } from './guard.ts';
import { httpPut } from './http-put/http-put.ts';
import { mavenLayout } from './maven-layout/maven-layout.ts';
import { npmRegistry } from './npm-registry/npm-registry.ts';
import { nugetV3 } from './nuget-v3/nuget-v3.ts';
import { oci } from './oci/oci.ts';
import { servePages } from './page.ts';
import { pythonIndex } from './python-index/python-index.ts';
import { Refusal } from './refusal.ts';
import { s3 } from './s3/s3.ts';
import { plainService, type StandinService, type Upstream } from './service.ts';
import { staticService } from './static/static.ts';
import { removeIncoming, Store } from './store.ts';

/** What serves each protocol. */
const services: Readonly<Record<RemoteProtocol, StandinService>> = {
  'npm-registry': npmRegistry,
  'python-index': pythonIndex,
  'nuget-v3': nugetV3,
  'maven-layout': mavenLayout,
  'crate-registry': crateRegistry,
  'simple-index': staticService('simple-index'),
  'npm-static': staticService('npm-static'),
  'crate-index': staticService('crate-index'),
  'go-proxy': staticService('go-proxy'),
  'nuget-static': staticService('nuget-static'),
  'http-put': httpPut,
  s3,
  oci,
};

/** What a stand-in needs to run. */
export type StandinSettings = {
  /** 0: any free one. */
  readonly port: number;
  readonly store: string;
  readonly tokens: readonly StandinToken[];
  readonly now: () => Date;
  /** Whether reading needs a token. */
  readonly isPrivate?: boolean;
  readonly speaks?: readonly RemoteProtocol[];
  readonly faults?: readonly Fault[];
  readonly maxBytes?: number;
  readonly lacks?: readonly Lack[];
  /** Where names that are not here are looked up, by protocol. */
  readonly upstream?: Partial<Readonly<Record<RemoteProtocol, readonly Upstream[]>>>;
};

/** A running stand-in. */
export type Standin = {
  readonly url: string;
  readonly faults: Faults;
  /** What a destination's `url` is for a protocol. */
  readonly urlFor: (speaks: RemoteProtocol) => string;
  readonly close: () => Promise<void>;
};

/** The service that a request is for by its path. */
function serviceAt(url: string): StandinService | undefined {
  return Object.values(services).find((service) => url.startsWith(`/${service.path}`));
}

/** The path of a request with the service in front that claims it by its credential. */
function servedPath(url: string, authorization = ''): string {
  const claiming = Object.values(services).find((service) => service.claims(authorization));
  return claiming === undefined || serviceAt(url) === claiming ? url : `/${claiming.path}${url.replace(/^\//, '')}`;
}

const usualMostBytes = 2 ** 31;

/** How long a request may take to say what it wants, how long a connection may be silent, and how often that is looked at. */
const headersMs = 10_000;
const idleMs = 60_000;
const checkMs = 2000;

/** Starts the server on the loopback interface only. @throws STANDIN_PORT when the port can't be opened. */
export async function startStandin(settings: StandinSettings): Promise<Standin> {
  const { port, store, now, speaks = remoteProtocols, maxBytes = usualMostBytes } = settings;
  await makeFolder(store);
  await removeIncoming(store);
  const server = fastify({
    forceCloseConnections: true,
    // Somebody who connects and says nothing, or half of a request, is not waited for.
    http: { headersTimeout: headersMs, connectionsCheckingInterval: checkMs },
    connectionTimeout: idleMs,
    routerOptions: { maxParamLength: 4000 },
    bodyLimit: maxBytes,
    rewriteUrl: (request) => servedPath(request.url ?? '/', request.headers.authorization),
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
    const { tell } = serviceAt(request.url) ?? plainService;
    const { type, body } = tell(error.message ?? 'failed');
    return reply.code(status).headers(headers).type(type).send(body);
  });
  const guard = makeGuard(settings.tokens, settings.isPrivate ?? false);
  for (const protocol of speaks) {
    const service = services[protocol];
    service.serve(server, {
      store: new Store(path.join(store, service.path)),
      guard,
      faults,
      now,
      maxBytes,
      lacks: new Set(settings.lacks),
      upstream: settings.upstream?.[protocol] ?? [],
    });
  }
  servePages(server, { store, guard, services: new Map(speaks.map((protocol) => [protocol, services[protocol]])) });
  try {
    const address = await server.listen({ host: '127.0.0.1', port });
    const url = `${address}/`;
    const urlFor = (protocol: RemoteProtocol) => `${url}${services[protocol].address}`;
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
