import { mkdir } from 'node:fs/promises';
import path from 'node:path';
import fastify from 'fastify';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { serveNpm } from './npm-registry.ts';

/** The protocols that the stand-in serves. */
export const standinProtocols = ['npm-registry'] as const;

/** What a stand-in needs to run. */
export type StandinSettings = {
  /** 0: any free one. */
  readonly port: number;
  readonly store: string;
  readonly tokens: ReadonlySet<string>;
  readonly now: () => Date;
};

/** A running stand-in. */
export type Standin = { readonly url: string; readonly close: () => Promise<void> };

/** Starts the server on the loopback interface only. @throws STANDIN_PORT when the port can't be opened. */
export async function startStandin({ port, store, tokens, now }: StandinSettings): Promise<Standin> {
  await mkdir(store, { recursive: true });
  const server = fastify({ forceCloseConnections: true, routerOptions: { maxParamLength: 2000 } });
  server.removeAllContentTypeParsers();
  server.addContentTypeParser('application/json', { parseAs: 'string' }, (_request, body, done) => {
    try {
      done(null, body === '' ? undefined : JSON.parse(body as string));
    } catch {
      done(Object.assign(new Error('the body is no JSON'), { statusCode: 400 }));
    }
  });
  server.addContentTypeParser('*', (_request, _body, done) =>
    done(Object.assign(new Error('send JSON'), { statusCode: 415 })),
  );
  server.setErrorHandler((error: { statusCode?: number; message?: string }, _request, reply) => {
    reply.code(error.statusCode ?? 500).send({ error: error.message ?? 'failed' });
  });
  serveNpm(server, { folder: path.join(store, 'node'), tokens, now });
  try {
    const url = await server.listen({ host: '127.0.0.1', port });
    return { url: `${url}/`, close: () => server.close() };
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
