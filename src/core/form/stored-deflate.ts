/** Bytes of a block are looked at in pieces of this size, so that the same bytes always give the same blocks. */
const pieceBytes = 64 * 1024;
const maxStoredBytes = 0xffff;
const maxSamples = 5000;

/** A part of a block: one that deflate makes smaller, or one that it does not. */
export type Run = { readonly bytes: Uint8Array; readonly isDense: boolean };

/**
 * Whether bytes look as if they were compressed already: every byte value is about as frequent as every other, so deflate
 * would work for nothing. Only a sample is looked at; bytes that are dense and repeat themselves are taken for dense too.
 */
export function isDense(bytes: Uint8Array): boolean {
  if (bytes.length < 512) return false;
  const counts = new Uint32Array(256);
  // An odd step does not fall into step with records of even size.
  const step = Math.floor(bytes.length / maxSamples / 2) * 2 + 1;
  let samples = 0;
  for (let at = 0; at < bytes.length; at += step) {
    const value = bytes[at] as number;
    counts[value] = (counts[value] as number) + 1;
    samples++;
  }
  let pairs = 0;
  for (const count of counts) pairs += count * count;
  return pairs <= 1.1 * (samples + samples ** 2 / 256);
}

/** A block in parts, in order: neighbours of the same kind are one. */
export function runsOf(block: Uint8Array): Run[] {
  const runs: { from: number; to: number; isDense: boolean }[] = [];
  for (let from = 0; from < block.length; from += pieceBytes) {
    const to = Math.min(block.length, from + pieceBytes);
    const dense = isDense(block.subarray(from, to));
    const last = runs.at(-1);
    if (last !== undefined && last.isDense === dense) last.to = to;
    else runs.push({ from, to, isDense: dense });
  }
  return runs.map(({ from, to, isDense: dense }) => ({ bytes: block.subarray(from, to), isDense: dense }));
}

/**
 * Blocks of a deflate stream that hold bytes as they are, to follow one that ended at a full byte (RFC 1951 §3.2.4).
 * @param isLast whether the stream ends with them.
 */
export function storedBlocks(bytes: Uint8Array, isLast: boolean): Uint8Array[] {
  const blocks: Uint8Array[] = [];
  for (let from = 0; from < bytes.length; from += maxStoredBytes) {
    const part = bytes.subarray(from, from + maxStoredBytes);
    const isFinal = isLast && from + part.length === bytes.length;
    const { length } = part;
    blocks.push(
      Uint8Array.of(isFinal ? 1 : 0, length & 0xff, length >> 8, ~length & 0xff, (~length >> 8) & 0xff),
      part,
    );
  }
  return blocks;
}
