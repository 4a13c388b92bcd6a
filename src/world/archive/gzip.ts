import { availableParallelism } from 'node:os';
import { promisify } from 'node:util';
import { constants, crc32, deflateRaw, type ZlibOptions } from 'node:zlib';
import { runsOf, storedBlocks } from '../../core/form/stored-deflate.ts';

const blockBytes = 1 << 20;
const windowBytes = 32 * 1024;
// One more than the cores keeps them busy; more only makes them take turns.
const inFlight = Math.min(4, availableParallelism() + 1);

/** One step below the usual 6: source code gets 1 % larger, in a fifth less time. */
export const deflateLevel = 5;

const deflateBlock: (input: Uint8Array, options: ZlibOptions) => Promise<Buffer> = promisify(deflateRaw);

/**
 * Compresses to one gzip member (RFC 1952) on all cores, with the same bytes whatever the chunks and the number of
 * cores. Memory: a few blocks.
 * @param parallel blocks at work at the same time; changes speed only.
 */
export async function* gzip(chunks: AsyncIterable<Uint8Array>, parallel = inFlight): AsyncGenerator<Uint8Array> {
  // Fixed header: no name, no time, "unknown" operating system (RFC 1952 §2.3.1).
  yield Buffer.from([0x1f, 0x8b, 8, 0, 0, 0, 0, 0, 0, 255]);
  let checksum = 0;
  let sizeBytes = 0;
  yield* deflateBlocks(
    chunks,
    (block) => {
      checksum = crc32(block, checksum);
      sizeBytes += block.length;
    },
    parallel,
  );
  const trailer = Buffer.alloc(8);
  trailer.writeUInt32LE(checksum, 0);
  trailer.writeUInt32LE(sizeBytes % 2 ** 32, 4);
  yield trailer;
}

/**
 * Compresses to one deflate stream on all cores: blocks of exactly 1 MiB, each with the 32 KiB before it as dictionary
 * (RFC 1951 §2), written in order. What is compressed already is stored.
 * @param seen gets every block of input in order.
 */
export async function* deflateBlocks(
  chunks: AsyncIterable<Uint8Array>,
  seen: (block: Buffer) => void = () => {},
  parallel = inFlight,
): AsyncGenerator<Uint8Array> {
  const queue: Work[] = [];
  const free: Buffer[] = [];
  let dictionary: Uint8Array = new Uint8Array();
  let held: Buffer | null = null;
  const start = (block: Buffer, isLast: boolean) => {
    const runs = block.length === 0 ? [{ bytes: block, isDense: false }] : runsOf(block);
    for (const [index, { bytes, isDense }] of runs.entries()) {
      const isEnd = index === runs.length - 1;
      const packed = isDense
        ? Promise.resolve(storedBlocks(bytes, isLast && isEnd))
        : deflateRun(bytes, dictionary, isLast && isEnd);
      packed.catch(() => {}); // awaited below, in order; until then it must not count as unhandled
      // What is stored is written from the block's own memory, at a time that is not known here.
      queue.push({ packed, used: isEnd && !runs.some((run) => run.isDense) ? block : null });
      dictionary = lastWindow(dictionary, bytes);
    }
  };
  const first = async () => {
    const { packed, used } = queue.shift() as Work;
    const bytes = await packed;
    if (used !== null && used.length === blockBytes) free.push(used);
    return bytes;
  };
  for await (const block of cut(chunks, () => free.pop() ?? Buffer.allocUnsafeSlow(blockBytes))) {
    if (held !== null) start(held, false);
    held = block;
    seen(block);
    while (queue.length >= parallel) yield* await first();
  }
  start(held ?? Buffer.alloc(0), true);
  while (queue.length > 0) yield* await first();
}

/** A run at work, and the memory that is free for another block once it is done. */
type Work = { readonly packed: Promise<readonly Uint8Array[]>; readonly used: Buffer | null };

async function deflateRun(bytes: Uint8Array, dictionary: Uint8Array, isLast: boolean): Promise<readonly Uint8Array[]> {
  const options = {
    level: deflateLevel,
    finishFlush: isLast ? constants.Z_FINISH : constants.Z_SYNC_FLUSH,
    chunkSize: bytes.length + 64 * 1024,
    ...(dictionary.length === 0 ? {} : { dictionary }),
  };
  return [await deflateBlock(bytes, options)];
}

/** The 32 KiB that what follows may refer to, as a copy: a block's memory is used again. */
function lastWindow(before: Uint8Array, bytes: Uint8Array): Uint8Array {
  if (bytes.length >= windowBytes) return Uint8Array.from(bytes.subarray(bytes.length - windowBytes));
  return Buffer.concat([before, bytes]).subarray(-windowBytes);
}

/** The same bytes in blocks of exactly 1 MiB, the last one shorter. */
async function* cut(chunks: AsyncIterable<Uint8Array>, take: () => Buffer): AsyncGenerator<Buffer> {
  let block = take();
  let used = 0;
  for await (const chunk of chunks) {
    for (let at = 0; at < chunk.length; ) {
      const taken = Math.min(chunk.length - at, blockBytes - used);
      block.set(chunk.subarray(at, at + taken), used);
      used += taken;
      at += taken;
      if (used < blockBytes) continue;
      yield block;
      block = take();
      used = 0;
    }
  }
  if (used > 0) yield block.subarray(0, used);
}
