import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import type { Parcel } from './destination.ts';

/** How much of a file is read at once. A multiple of three, so that pieces can be base64 without padding. */
const pieceBytes = 3 << 16;

/**
 * The bytes of a parcel as they are read, held back by one piece: the last one leaves only when the digest of all of them
 * is the recorded one, so a file that was changed meanwhile never arrives whole.
 * @throws FILE_CHANGED
 */
export async function* parcelBytes(
  { file, fileName, sha256, sizeBytes }: Parcel,
  moved: (bytes: number) => void,
): AsyncGenerator<Buffer> {
  const hash = createHash('sha256');
  let held: Buffer | null = null;
  let seen = 0;
  for await (const piece of createReadStream(file, { highWaterMark: pieceBytes }) as AsyncIterable<Buffer>) {
    hash.update(piece);
    seen += piece.length;
    if (held !== null) {
      yield held;
      moved(held.length);
    }
    held = piece;
  }
  if (seen !== sizeBytes || hash.digest('hex') !== sha256) {
    throw parcelChanged({ file, fileName });
  }
  if (held !== null) yield held;
  moved(held?.length ?? 0);
}

/** MD5 of a file, for protocols that still want it, in hexadecimal. */
export async function md5Of(file: string): Promise<string> {
  const hash = createHash('md5');
  for await (const chunk of createReadStream(file)) hash.update(chunk as Buffer);
  return hash.digest('hex');
}

/** The error for a file whose bytes are no longer those that were checked. */
export function parcelChanged({ file, fileName }: Pick<Parcel, 'file' | 'fileName'>): BevelstoneError {
  return new BevelstoneError('FILE_CHANGED', {
    message: `${fileName} changed while it was sent`,
    why: 'its SHA-256 is no longer the one that was checked',
    fix: 'Build again; what was sent of it is not used',
    where: { file },
  });
}
