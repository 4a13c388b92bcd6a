import { spawn } from 'node:child_process';
import { mkdirSync } from 'node:fs';
import { onTestFinished } from 'vitest';
import { freePort } from '../../src/world/server-step.ts';

/** Shows a folder by a web server that others wrote, until the test ends. @returns its address. */
export async function serveFolder(folder: string): Promise<string> {
  mkdirSync(folder, { recursive: true });
  const port = await freePort();
  const server = spawn('python3', ['-m', 'http.server', String(port), '--bind', '127.0.0.1'], {
    cwd: folder,
    stdio: 'ignore',
  });
  onTestFinished(() => {
    server.kill();
  });
  const url = `http://127.0.0.1:${port}/`;
  for (;;) {
    const isUp = await fetch(url).then(
      () => true,
      () => false,
    );
    if (isUp) return url;
  }
}
