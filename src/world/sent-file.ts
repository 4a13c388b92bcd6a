import { createHash } from 'node:crypto';
import { type FileHandle, open } from 'node:fs/promises';
import { BevelstoneError } from '../core/error/bevelstone-error.ts';
import { type FileStamp, isSameStamp, stampOf } from './file-stamp.ts';

/** A file that is sent somewhere, as it was when its digest was taken. */
export type SentFile = {
  /** Absolute path. */
  readonly file: string;
  readonly fileName: string;
  readonly sizeBytes: number;
  readonly stamp: FileStamp;
};

/** How much of a file is read at once. A multiple of three, so that pieces can be base64 without padding. */
const pieceBytes = 3 << 18;

/** The part of a file that is sent: its bytes from `start` on, up to but without `end`. */
export type Span = { readonly start: number; readonly end: number };

/**
 * The bytes of a file as they are read. Its digest was taken when it was made ready; here the file only has to be the
 * same, unchanged since. The last piece is held back until that is seen once more, so a file that is written to meanwhile
 * never arrives whole.
 * @throws FILE_CHANGED
 */
export async function* sentBytes(sent: SentFile, moved: (bytes: number) => void, span?: Span): AsyncGenerator<Buffer> {
  const { start, end } = span ?? { start: 0, end: sent.sizeBytes };
  const handle = await open(sent.file);
  try {
    const check = () => checkUntouched(sent, handle);
    await check();
    const readAt = async (at: number) => {
      const piece = Buffer.allocUnsafeSlow(Math.max(0, Math.min(pieceBytes, end - at)));
      const { bytesRead } = await handle.read(piece, 0, piece.length, at);
      if (bytesRead < piece.length) throw sentFileChanged(sent);
      return piece;
    };
    const ahead = (at: number) => {
      const reading = readAt(at);
      // Whoever stops listening before the end need not hear of it.
      reading.catch(() => {});
      return reading;
    };
    let next = ahead(start);
    for (let at = start; at < end; ) {
      const piece = await next;
      at += piece.length;
      // Read while this one is on its way.
      next = ahead(at);
      if (at === end) await check();
      yield piece;
      moved(piece.length);
    }
    await next;
  } finally {
    await handle.close();
  }
}

/**
 * Fills a buffer with the bytes from a place in the file on, none of them copied.
 * @returns the SHA-256 of them, in base64
 * @throws FILE_CHANGED
 */
export async function readSpan(sent: SentFile, start: number, into: Buffer): Promise<string> {
  const handle = await open(sent.file);
  try {
    const hash = createHash('sha256');
    const readAt = (at: number) => handle.read(into, at, Math.min(pieceBytes, into.length - at), start + at);
    let next = readAt(0);
    for (let at = 0; at < into.length; ) {
      const { bytesRead } = await next;
      if (bytesRead === 0) throw sentFileChanged(sent);
      const piece = into.subarray(at, at + bytesRead);
      at += bytesRead;
      // Read while this one is hashed.
      if (at < into.length) next = readAt(at);
      hash.update(piece);
    }
    await checkUntouched(sent, handle);
    return hash.digest('base64');
  } finally {
    await handle.close();
  }
}

async function checkUntouched(sent: SentFile, handle: FileHandle): Promise<void> {
  if (!isSameStamp(sent.stamp, stampOf(await handle.stat({ bigint: true })))) throw sentFileChanged(sent);
}

/** The error for a file whose bytes are no longer those that were checked. */
function sentFileChanged({ file, fileName }: SentFile): BevelstoneError {
  return new BevelstoneError('FILE_CHANGED', {
    message: `${fileName} changed during the upload`,
    why: 'another program wrote to it after its digest was checked',
    fix: 'Build again; the partial upload is not used',
    where: { file },
  });
}
