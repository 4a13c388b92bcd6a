import { once } from 'node:events';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { onTestFinished } from 'vitest';

/** A server of somebody else: what it was asked, and with which headers. */
export type Listener = {
  readonly url: string;
  readonly origin: string;
  readonly asked: readonly { readonly line: string; readonly headers: IncomingMessage['headers'] }[];
  /** Every header value that it ever got, in one text. */
  readonly heard: () => string;
};

/** Answers a request; what it leaves open is answered with 404. */
export type Answer = (request: IncomingMessage, response: ServerResponse) => void | Promise<void>;

/** Starts a server on a free port of the loopback interface. */
export async function listener(answer: Answer = () => {}): Promise<Listener> {
  const asked: { line: string; headers: IncomingMessage['headers'] }[] = [];
  const server: Server = createServer(async (request, response) => {
    asked.push({ line: `${request.method} ${request.url}`, headers: request.headers });
    await answer(request, response);
    if (!response.writableEnded && !response.headersSent) response.writeHead(404).end('nothing here');
  });
  server.listen(0, '127.0.0.1');
  await once(server, 'listening');
  onTestFinished(() => {
    server.closeAllConnections();
    server.close();
  });
  const origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  return { url: `${origin}/`, origin, asked, heard: () => JSON.stringify(asked) };
}
