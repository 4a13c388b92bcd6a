import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { Worker } from 'node:worker_threads';

const worthAThread = 16 << 20;

// A second core takes the digest of a large file while the first one reads what is in it.
const script = `
const { parentPort, workerData } = require('node:worker_threads');
const { createHash } = require('node:crypto');
const { createReadStream } = require('node:fs');
const hash = createHash('sha256');
createReadStream(workerData, { highWaterMark: 1 << 20 })
  .on('data', (chunk) => hash.update(chunk))
  .on('end', () => parentPort.postMessage(hash.digest('hex')))
  .on('error', (error) => { throw error; });
`;

/**
 * SHA-256 of a file in hexadecimal; of a large one on a thread of its own.
 * @param started gets what ends that thread in the middle.
 */
export async function fileDigest(
  file: string,
  sizeBytes: number,
  started: (stop: () => void) => void = () => {},
): Promise<string> {
  if (sizeBytes >= worthAThread) {
    return new Promise((resolve, reject) => {
      const worker = new Worker(script, { eval: true, workerData: file });
      worker.once('message', resolve).once('error', reject);
      started(() => void worker.terminate());
    });
  }
  const hash = createHash('sha256');
  for await (const chunk of createReadStream(file, { highWaterMark: 1 << 20 })) hash.update(chunk);
  return hash.digest('hex');
}
