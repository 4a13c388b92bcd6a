import { availableParallelism } from 'node:os';
import { promisify } from 'node:util';
import { constants, crc32, deflateRaw, type ZlibOptions } from 'node:zlib';

const blockBytes = 1 << 20;
const windowBytes = 32 * 1024;
// One more than the cores keeps them busy; more only makes them take turns.
const inFlight = Math.min(4, availableParallelism() + 1);

const deflateBlock: (input: Uint8Array, options: ZlibOptions) => Promise<Buffer> = promisify(deflateRaw);

/**
 * Compresses to one gzip member (RFC 1952) on all cores, with the same bytes whatever the chunks and the number of
 * cores. Memory: a few blocks.
 * @param parallel blocks at work at the same time; changes speed only.
 */
export async function* gzip(chunks: AsyncIterable<Uint8Array>, parallel = inFlight): AsyncGenerator<Buffer> {
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
 * (RFC 1951 §2), written in order.
 * @param seen gets every block of input in order.
 */
export async function* deflateBlocks(
  chunks: AsyncIterable<Uint8Array>,
  seen: (block: Buffer) => void = () => {},
  parallel = inFlight,
): AsyncGenerator<Buffer> {
  const queue: Promise<Buffer>[] = [];
  let dictionary: Buffer = Buffer.alloc(0);
  let held: Buffer | null = null;
  const start = (block: Buffer, isLast: boolean) => {
    const options = {
      level: 6,
      finishFlush: isLast ? constants.Z_FINISH : constants.Z_SYNC_FLUSH,
      chunkSize: block.length + 64 * 1024,
      ...(dictionary.length === 0 ? {} : { dictionary }),
    };
    const work = deflateBlock(block, options);
    work.catch(() => {}); // awaited below, in order; until then it must not count as unhandled
    queue.push(work);
    dictionary = block.subarray(Math.max(0, block.length - windowBytes));
  };
  for await (const block of cut(chunks)) {
    if (held !== null) start(held, false);
    held = block;
    seen(block);
    while (queue.length >= parallel) yield await (queue.shift() as Promise<Buffer>);
  }
  start(held ?? Buffer.alloc(0), true);
  while (queue.length > 0) yield await (queue.shift() as Promise<Buffer>);
}

/** The same bytes in blocks of exactly 1 MiB, the last one shorter. */
async function* cut(chunks: AsyncIterable<Uint8Array>): AsyncGenerator<Buffer> {
  let block = Buffer.allocUnsafe(blockBytes);
  let used = 0;
  for await (const chunk of chunks) {
    for (let at = 0; at < chunk.length; ) {
      const taken = Math.min(chunk.length - at, blockBytes - used);
      block.set(chunk.subarray(at, at + taken), used);
      used += taken;
      at += taken;
      if (used < blockBytes) continue;
      yield block;
      block = Buffer.allocUnsafe(blockBytes);
      used = 0;
    }
  }
  if (used > 0) yield block.subarray(0, used);
}
