import { createReadStream } from 'node:fs';
import { stat } from 'node:fs/promises';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';

/** Serves one file on the loopback interface under a path of its own. @returns its address, and how to stop. */
export async function serveFile(
  file: string,
  name: string,
): Promise<{ readonly url: string; readonly close: () => Promise<void> }> {
  const { size } = await stat(file);
  const server = createServer((request, response) => {
    if (decodeURIComponent(request.url ?? '') !== `/${name}`) {
      response.writeHead(404).end();
      return;
    }
    response.writeHead(200, { 'content-type': 'application/gzip', 'content-length': size });
    if (request.method === 'HEAD') response.end();
    else createReadStream(file).pipe(response);
  });
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(0, '127.0.0.1', resolve);
  });
  const { port } = server.address() as AddressInfo;
  return {
    url: `http://127.0.0.1:${port}/${encodeURIComponent(name)}`,
    close: async () => {
      server.closeAllConnections();
      await new Promise((resolve) => server.close(resolve));
    },
  };
}
