import { Worker } from 'node:worker_threads';

const script = `
const { parentPort } = require('node:worker_threads');
const { hash } = require('node:crypto');
parentPort.on('message', ({ bytes, ends }) => {
  const digests = ends.map((end, index) => hash('sha256', bytes.subarray(ends[index - 1] ?? 0, end)));
  parentPort.postMessage({ digests, bytes }, [bytes.buffer]);
});
`;

/** Digests, and the memory that the bytes came in, to be used again: the other thread would free it late. */
type Digested = { readonly digests: readonly string[]; readonly bytes: Uint8Array };

type Waiting = { readonly done: (digested: Digested) => void; readonly failed: (error: unknown) => void };

/** One thread for all archives that are read; it does not keep the program from ending. */
let running: { readonly worker: Worker; readonly waiting: Waiting[] } | null = null;

/**
 * SHA-256 of pieces of some bytes, in hexadecimal, taken on another thread.
 * @param bytes are that thread's until it answers. @param ends where each piece ends and the next one begins.
 * @throws what the system says when a thread cannot run.
 */
export function digestBatch(bytes: Uint8Array, ends: readonly number[]): Promise<Digested> {
  running ??= start();
  const { worker, waiting } = running;
  if (waiting.length === 0) worker.ref();
  return new Promise((done, failed) => {
    waiting.push({ done, failed });
    worker.postMessage({ bytes, ends }, [bytes.buffer as ArrayBuffer]);
  });
}

function start(): NonNullable<typeof running> {
  const worker = new Worker(script, { eval: true });
  const waiting: Waiting[] = [];
  worker.unref();
  worker.on('message', (digested: Digested) => {
    waiting.shift()?.done(digested);
    if (waiting.length === 0) worker.unref();
  });
  worker.once('error', (error) => {
    running = null;
    for (const { failed } of waiting.splice(0)) failed(error);
  });
  return { worker, waiting };
}
