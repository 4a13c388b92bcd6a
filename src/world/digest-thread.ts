import { once } from 'node:events';
import { Worker } from 'node:worker_threads';

const batchBytes = 1 << 20;
const maxInFlight = 8;

const script = `
const { parentPort, workerData } = require('node:worker_threads');
const { createHash } = require('node:crypto');
const hashes = workerData.map((name) => [name, createHash(name)]);
parentPort.on('message', (batch) => {
  if (batch === null) {
    parentPort.postMessage(Object.fromEntries(hashes.map(([name, hash]) => [name, hash.digest('hex')])));
    return parentPort.close();
  }
  for (const [, hash] of hashes) hash.update(batch);
  parentPort.postMessage(null);
});
`;

/** Takes several digests of one long stream on a thread of its own, while this one receives. Memory: a few batches of 1 MiB. */
export class DigestThread {
  readonly #worker: Worker;
  #batch = new Uint8Array(batchBytes);
  #used = 0;
  #underWay = 0;
  #result: Readonly<Record<string, string>> | null = null;

  /** @param names of digests, as the system's library knows them. */
  constructor(names: readonly string[]) {
    this.#worker = new Worker(script, { eval: true, workerData: names });
    this.#worker.on('message', (message: Readonly<Record<string, string>> | null) => {
      if (message === null) this.#underWay--;
      else this.#result = message;
    });
  }

  /** @returns a promise when the other thread is behind and should be waited for. */
  update(chunk: Uint8Array): Promise<void> | null {
    for (let at = 0; at < chunk.length; ) {
      const part = chunk.subarray(at, at + batchBytes - this.#used);
      this.#batch.set(part, this.#used);
      this.#used += part.length;
      at += part.length;
      if (this.#used === batchBytes) this.#send();
    }
    return this.#underWay < maxInFlight ? null : this.#wait();
  }

  /** The digests in hexadecimal, by name. */
  async finish(): Promise<Readonly<Record<string, string>>> {
    this.#send();
    this.#worker.postMessage(null);
    while (this.#result === null) await once(this.#worker, 'message');
    return this.#result;
  }

  /** Ends it where the stream was cut. */
  stop(): void {
    void this.#worker.terminate();
  }

  #send(): void {
    const batch = this.#batch.subarray(0, this.#used);
    this.#worker.postMessage(batch, [this.#batch.buffer]);
    this.#underWay++;
    this.#batch = new Uint8Array(batchBytes);
    this.#used = 0;
  }

  async #wait(): Promise<void> {
    while (this.#underWay >= maxInFlight) await once(this.#worker, 'message');
  }
}
