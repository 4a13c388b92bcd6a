import { Readable } from 'node:stream';
import { XzReadableStream } from 'xz-decompress';

/** Unpacks the .xz format as it streams by. A module of its own: bundled CommonJS has no names when it is imported late. */
export function unpackXz(source: Readable): AsyncIterable<Buffer> {
  const unpacked = new XzReadableStream(Readable.toWeb(source) as unknown as ReadableStream<Uint8Array>);
  return Readable.fromWeb(unpacked as never);
}
