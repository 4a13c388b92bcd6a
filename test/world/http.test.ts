import { createServer, type RequestListener } from 'node:http';
import type { AddressInfo } from 'node:net';
import { expect, it, onTestFinished } from 'vitest';
import { readText, send } from '../../src/world/http.ts';

async function serve(listener: RequestListener): Promise<string> {
  const server = createServer(listener);
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  onTestFinished(() => {
    server.closeAllConnections();
    server.close();
  });
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}/`;
}

it('keeps the credential on a redirect to the same server and loses it on one to another', async () => {
  const seen: (string | undefined)[] = [];
  const other = await serve((request, response) => {
    seen.push(request.headers.authorization);
    response.end('other');
  });
  const url = await serve((request, response) => {
    seen.push(request.headers.authorization);
    const location = request.url === '/' ? '/again' : other;
    response.writeHead(302, { location }).end('moved');
  });

  const answer = await send({ method: 'GET', url, headers: { authorization: 'Bearer token' } });

  expect(await readText(answer, url)).toBe('other');
  expect(seen).toEqual(['Bearer token', 'Bearer token', undefined]);
});

it('does not follow a redirect with a body, and gives up on a circle', async () => {
  let count = 0;
  const url = await serve((_, response) => {
    count++;
    response.writeHead(307, { location: '/' }).end();
  });
  async function* body() {
    yield Buffer.from('x');
  }

  expect((await send({ method: 'PUT', url, body: { chunks: body(), sizeBytes: 1 } })).status).toBe(307);
  expect(count).toBe(1);
  expect((await send({ method: 'GET', url })).status).toBe(307);
  expect(count).toBe(7);
});

it.each([
  ['http://127.0.0.1:9/', /nothing listens/],
  ['http://nowhere.fenmarsh.invalid/', /name|DNS/],
])('tells why %s can not be reached', async (url, why) => {
  await expect(send({ method: 'GET', url })).rejects.toMatchObject({
    code: 'DESTINATION_UNREACHABLE',
    why: expect.stringMatching(why),
  });
});

it('tells of a connection that is cut in the middle', async () => {
  const url = await serve((request) => request.socket.destroy());

  await expect(send({ method: 'GET', url })).rejects.toMatchObject({
    code: 'DESTINATION_UNREACHABLE',
    why: 'the connection was cut: perhaps the address should begin with https://',
  });
});
