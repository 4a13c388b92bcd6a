/** Bytes up to a size and one more chunk: whoever sends too much is noticed by the digest, and nothing fills the disk. */
export async function* atMost(chunks: AsyncIterable<Uint8Array>, sizeBytes: number): AsyncGenerator<Uint8Array> {
  let seen = 0;
  for await (const chunk of chunks) {
    yield chunk;
    seen += chunk.byteLength;
    if (seen > sizeBytes) return;
  }
}
