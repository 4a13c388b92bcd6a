import { spawn } from 'node:child_process';
import { once } from 'node:events';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { listener } from './listener.ts';

/** Serves bare repositories below a folder by git's own program for the web (git-http-backend(1)), until the test ends. */
export async function startGitServer(folder: string): Promise<string> {
  return (await listener((request, answer) => serveByGit(folder, request, answer))).url;
}

/** One request by the Common Gateway Interface (RFC 3875). */
async function serveByGit(folder: string, request: IncomingMessage, answer: ServerResponse): Promise<void> {
  const url = new URL(request.url ?? '/', 'http://127.0.0.1');
  const child = spawn('git', ['http-backend'], {
    env: {
      PATH: process.env['PATH'] ?? '',
      GIT_PROJECT_ROOT: folder,
      GIT_HTTP_EXPORT_ALL: '1',
      PATH_INFO: decodeURIComponent(url.pathname),
      QUERY_STRING: url.search.slice(1),
      REQUEST_METHOD: request.method ?? 'GET',
      CONTENT_TYPE: request.headers['content-type'] ?? '',
      HTTP_CONTENT_ENCODING: String(request.headers['content-encoding'] ?? ''),
      GIT_PROTOCOL: String(request.headers['git-protocol'] ?? ''),
    },
    stdio: ['pipe', 'pipe', 'ignore'],
  });
  request.pipe(child.stdin);
  const chunks: Buffer[] = [];
  child.stdout.on('data', (chunk: Buffer) => chunks.push(chunk));
  await once(child, 'close');
  const all = Buffer.concat(chunks);
  const end = all.indexOf('\r\n\r\n');
  for (const line of all.subarray(0, end).toString('latin1').split('\r\n')) {
    const [name = '', value = ''] = line.split(/:\s*/, 2);
    if (name.toLowerCase() === 'status') answer.statusCode = Number.parseInt(value, 10);
    else answer.setHeader(name, value);
  }
  answer.end(all.subarray(end + 4));
}
