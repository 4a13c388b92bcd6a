import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';

/** A file with its digests in hexadecimal and, where it may say something of licences, its beginning. */
export type SurveyedFile = {
  readonly path: string;
  readonly sizeBytes: number;
  readonly sha1: string;
  readonly sha256: string;
  readonly head: Buffer | null;
};

// Reads in step: for small files a question to the thread pool costs more than the answer. A file is held whole up to
// 4 MiB, a larger one goes by in pieces.
const script = `
const { parentPort, workerData } = require('node:worker_threads');
const { hash, createHash } = require('node:crypto');
const { openSync, readSync, closeSync, fstatSync } = require('node:fs');
const { sep } = require('node:path');
const { folder, paths, headBytes } = workerData;
const buffer = Buffer.allocUnsafeSlow(4 << 20);
const fill = (fd) => {
  let used = 0;
  for (let read = 1; read > 0 && used < buffer.length; used += read) read = readSync(fd, buffer, used, buffer.length - used, null);
  return used;
};
let batch = [];
for (const path of paths) {
  const fd = openSync(folder + sep + path, 'r');
  try {
    let size = fill(fd);
    const first = buffer.subarray(0, Math.min(size, headBytes));
    const hasHeader = first.includes('SPDX-') || first.includes('opyright');
    const head = hasHeader ? new Uint8Array(first) : null;
    let sha1, sha256;
    if (size < buffer.length) {
      const bytes = buffer.subarray(0, size);
      sha1 = hash('sha1', bytes);
      sha256 = hash('sha256', bytes);
    } else {
      const [one, other] = [createHash('sha1'), createHash('sha256')];
      for (let used = size; used > 0; used = fill(fd)) {
        const bytes = buffer.subarray(0, used);
        one.update(bytes);
        other.update(bytes);
      }
      size = fstatSync(fd).size;
      sha1 = one.digest('hex');
      sha256 = other.digest('hex');
    }
    batch.push([size, sha1, sha256, head]);
  } finally {
    closeSync(fd);
  }
  if (batch.length === 256) {
    parentPort.postMessage(batch);
    batch = [];
  }
}
parentPort.postMessage(batch);
parentPort.close();
`;

/** How much of a file may hold a header. */
export const headBytes = 16 << 10;

/**
 * Digests files of a folder on all cores, in one pass for both digests and the header.
 * @param paths of files inside the folder. @param onRead hears of bytes that were read.
 * @throws what the system says when a file cannot be read.
 */
export async function surveyFiles(
  folder: string,
  paths: readonly string[],
  onRead: (bytes: number) => void = () => {},
): Promise<SurveyedFile[]> {
  const found: SurveyedFile[] = new Array(paths.length);
  const workers = Math.min(availableParallelism(), Math.max(1, Math.ceil(paths.length / 64)));
  // Every n-th file for each: neighbours are often alike in size.
  const shares = Array.from({ length: workers }, (_, share) =>
    paths.map((_, index) => index).filter((index) => index % workers === share),
  );
  await Promise.all(shares.map((indexes) => runShare({ folder, paths, indexes, found, onRead })));
  return found;
}

type Row = readonly [number, string, string, Uint8Array | null];

function runShare({
  folder,
  paths,
  indexes,
  found,
  onRead,
}: {
  readonly folder: string;
  readonly paths: readonly string[];
  readonly indexes: readonly number[];
  readonly found: SurveyedFile[];
  readonly onRead: (bytes: number) => void;
}): Promise<void> {
  return new Promise((resolve, reject) => {
    const workerData = { folder, paths: indexes.map((index) => paths[index]), headBytes };
    const worker = new Worker(script, { eval: true, workerData });
    let at = 0;
    worker.on('message', (rows: readonly Row[]) => {
      onRead(rows.reduce((sum, [sizeBytes]) => sum + sizeBytes, 0));
      for (const [sizeBytes, sha1, sha256, head] of rows) {
        const index = indexes[at++] ?? 0;
        found[index] = {
          path: paths[index] ?? '',
          sizeBytes,
          sha1,
          sha256,
          head: head === null ? null : Buffer.from(head),
        };
      }
    });
    worker.once('error', reject);
    worker.once('exit', () => resolve());
  });
}
