import { createHash, type Hash, hash } from 'node:crypto';
import { once } from 'node:events';
import { Worker } from 'node:worker_threads';

/** Takes SHA-256 digests of many files, one after the other. */
export type EntryDigests = {
  /** Begins the next file. @param sizeBytes what its header says, to take a file that comes in one piece in one call. */
  readonly begin: (sizeBytes: number) => DigestTask;
  /** All digests in the order in which they were begun. */
  readonly finish: () => Promise<readonly string[]>;
  /** Ends the work, also in the middle. */
  readonly stop: () => void;
};

/** The digest of one file. */
export type DigestTask = {
  /** @returns a promise when the other thread is behind and should be waited for. */
  readonly update: (chunk: Uint8Array) => void | Promise<void>;
  readonly end: () => void;
};

/** Digests on this thread. */
export function digestHere(): EntryDigests {
  const digests: string[] = [];
  return {
    begin: (sizeBytes) => {
      let whole: string | null = null;
      let pieces: Hash | null = null;
      return {
        update: (chunk) => {
          if (pieces === null && whole === null && chunk.byteLength === sizeBytes) whole = hash('sha256', chunk);
          else pieces = (pieces ?? createHash('sha256')).update(chunk);
        },
        end: () => void digests.push(whole ?? (pieces ?? createHash('sha256')).digest('hex')),
      };
    },
    finish: async () => digests,
    stop: () => {},
  };
}

const batchBytes = 1 << 20;
const maxInFlight = 8;

// Gets batches of bytes with what belongs to which file, and gives each buffer back for the next one.
const script = `
const { parentPort } = require('node:worker_threads');
const { createHash } = require('node:crypto');
const digests = [];
let open = null;
parentPort.on('message', (message) => {
  if (message === null) {
    parentPort.postMessage(digests);
    return parentPort.close();
  }
  const { buffer, ends } = message;
  let from = 0;
  for (const end of ends) {
    const at = Math.abs(end);
    open ??= createHash('sha256');
    open.update(new Uint8Array(buffer, from, at - from));
    from = at;
    if (end < 0 || Object.is(end, -0)) {
      digests.push(open.digest('hex'));
      open = null;
    }
  }
  parentPort.postMessage(buffer, [buffer]);
});
`;

/**
 * Digests on a thread of its own, so that a large archive is unpacked and read meanwhile. Memory: a few batches of 1 MiB.
 * Files follow each other, so a batch is bytes and the places where they end; a negative place ends a file.
 */
export function digestElsewhere(): EntryDigests {
  const worker = new Worker(script, { eval: true });
  // Nobody waits for it when reading fails.
  worker.unref();
  const free: ArrayBuffer[] = [];
  let underWay = 0;
  let result: readonly string[] | null = null;
  worker.on('message', (message: ArrayBuffer | readonly string[]) => {
    if (message instanceof ArrayBuffer) {
      underWay--;
      free.push(message);
    } else result = message;
  });
  let batch = new Uint8Array(new ArrayBuffer(batchBytes));
  let used = 0;
  let ends: number[] = [];
  const send = () => {
    worker.postMessage({ buffer: batch.buffer, ends }, [batch.buffer]);
    underWay++;
    batch = new Uint8Array(free.pop() ?? new ArrayBuffer(batchBytes));
    [used, ends] = [0, []];
  };
  const wait = async () => {
    worker.ref();
    while (underWay >= maxInFlight) await once(worker, 'message');
    worker.unref();
  };
  const update = (chunk: Uint8Array): void | Promise<void> => {
    for (let at = 0; at < chunk.byteLength; ) {
      const part = chunk.subarray(at, at + batchBytes - used);
      batch.set(part, used);
      used += part.byteLength;
      at += part.byteLength;
      ends.push(used);
      if (used === batchBytes) send();
    }
    return underWay >= maxInFlight ? wait() : undefined;
  };
  return {
    begin: () => ({ update, end: () => void ends.push(-used) }),
    finish: async () => {
      send();
      worker.ref();
      worker.postMessage(null);
      while (result === null) await once(worker, 'message');
      return result;
    },
    stop: () => void worker.terminate(),
  };
}
