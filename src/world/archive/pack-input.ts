import { hash } from 'node:crypto';
import { closeSync, createReadStream, openSync, readSync } from 'node:fs';
import type { Origin } from '../../core/contents/entry.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { PackedSoFar } from '../../core/form/plan.ts';

/** Where the bytes are: in a file of known size, here, or made of what was packed before. */
export type PackContent =
  | { readonly type: 'file'; readonly file: string; readonly sizeBytes: number }
  | { readonly type: 'bytes'; readonly bytes: Uint8Array }
  | { readonly type: 'made'; readonly make: (before: readonly PackedSoFar[]) => Uint8Array }
  | { readonly type: 'symlink'; readonly linkname: string }
  | { readonly type: 'folder' };

/** Something to be packed. */
export type PackInput = {
  readonly path: string;
  readonly mode: number;
  readonly content: PackContent;
  readonly origin: Origin;
  /** Hears of bytes that were read from its file. */
  readonly onRead?: (bytes: number) => void;
};

/** Files up to this size are read whole, larger ones in pieces. */
export const wholeBytes = 1 << 20;
const windowBytes = 8 << 20;
// A file costs something beside its bytes, so that a window of empty ones ends too.
const fileCostBytes = 32 << 10;

/** Size of what an input puts into the archive; 0 for what has no bytes, null for what is yet to be made. */
export function contentSize({ content }: PackInput): number | null {
  if (content.type === 'file') return content.sizeBytes;
  if (content.type === 'bytes') return content.bytes.byteLength;
  return content.type === 'made' ? null : 0;
}

/**
 * Starts work on inputs ahead of the one that is wanted, in order, with at most 8 MiB of input in flight, counted in bytes.
 * @param work must not fail late: its promise is awaited when its turn comes.
 */
export async function* ahead<Done>(
  inputs: Iterable<PackInput>,
  work: (input: PackInput) => Promise<Done>,
): AsyncGenerator<Done> {
  const queue: { promise: Promise<Done>; cost: number }[] = [];
  let inFlight = 0;
  const takeFirst = (): Promise<Done> => {
    const first = queue.shift();
    if (first === undefined) throw new Error('nothing is in flight');
    inFlight -= first.cost;
    return first.promise;
  };
  for (const input of inputs) {
    const size = contentSize(input) ?? 0;
    const cost = Math.min(size, windowBytes) + fileCostBytes;
    while (queue.length > 0 && inFlight + cost > windowBytes) yield await takeFirst();
    const promise = work(input);
    promise.catch(() => {}); // awaited in its turn; until then it must not count as unhandled
    queue.push({ promise, cost });
    inFlight += cost;
  }
  while (queue.length > 0) yield await takeFirst();
}

/**
 * Bytes of an input that is small or here already, null for a large file, for links, folders and what is yet to be made.
 * @param space where the bytes of a file go, with room for one byte more than `wholeBytes`; else they get their own.
 * @throws FILE_CHANGED when a file is not as long as it was when it was selected.
 */
export function loadSmall(input: PackInput, space?: Buffer): Uint8Array | null {
  const { content } = input;
  if (content.type === 'bytes') return content.bytes;
  if (content.type !== 'file' || content.sizeBytes > wholeBytes) return null;
  // Compression keeps the thread pool busy, where a small read would wait behind blocks of a megabyte.
  const most = content.sizeBytes + 1;
  const memory = space ?? Buffer.allocUnsafe(most);
  const bytes = memory.subarray(0, readInto(content.file, memory, most));
  if (bytes.length !== content.sizeBytes) throw changed(input.path, content.sizeBytes);
  input.onRead?.(bytes.length);
  return bytes;
}

/** @returns how many bytes there were, at most `most`. */
function readInto(file: string, space: Buffer, most: number): number {
  const descriptor = openSync(file, 'r');
  try {
    let used = 0;
    for (let read = 1; read > 0 && used < most; used += read)
      read = readSync(descriptor, space, used, most - used, null);
    return used;
  } finally {
    closeSync(descriptor);
  }
}

/** Bytes of a large file in pieces, exactly as many as it had when it was selected. @throws FILE_CHANGED */
export async function* readLarge(
  { path, onRead }: PackInput,
  { file, sizeBytes }: { readonly file: string; readonly sizeBytes: number },
): AsyncGenerator<Buffer> {
  let seen = 0;
  for await (const chunk of createReadStream(file, { highWaterMark: wholeBytes }) as AsyncIterable<Buffer>) {
    seen += chunk.length;
    if (seen > sizeBytes) break;
    onRead?.(chunk.length);
    yield chunk;
  }
  // The header has gone out already: a wrong size here would shift every later entry.
  if (seen !== sizeBytes) throw changed(path, sizeBytes);
}

/** SHA-256 of a text or bytes in hexadecimal. */
export function sha256Of(bytes: Uint8Array | string): string {
  return hash('sha256', bytes);
}

function changed(path: string, sizeBytes: number): BevelstoneError {
  return new BevelstoneError('FILE_CHANGED', {
    message: `${path} changed while it was packed`,
    why: `its size was ${sizeBytes} bytes when it was selected`,
    fix: 'Make sure that no build step keeps writing in the background, then build again',
  });
}
