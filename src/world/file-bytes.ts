import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { isMissing } from './files.ts';

const pieceBytes = 1 << 20;

/** The bytes of a file as they are read; with a span those from `start` to `end`, both included. */
export function readBytes(
  file: string,
  span?: { readonly start: number; readonly end: number },
): AsyncIterable<Uint8Array> {
  return createReadStream(file, { ...span, highWaterMark: pieceBytes }) as AsyncIterable<Buffer>;
}

/** The digest of a file in hexadecimal, its bytes read as a stream. @param algorithm as the system's library knows it. */
export async function hashFile(file: string, algorithm: string): Promise<string> {
  const hash = createHash(algorithm);
  for await (const chunk of readBytes(file)) hash.update(chunk);
  return hash.digest('hex');
}

/** SHA-256 of a file in hexadecimal; null when there is none. */
export async function digestIfThere(file: string): Promise<string | null> {
  try {
    return await hashFile(file, 'sha256');
  } catch (error) {
    if (isMissing(error)) return null;
    throw error;
  }
}
